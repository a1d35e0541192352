"""brave-bridge-rescue: list, verify and return ways back with nothing but plain Python.

    brave-bridge-rescue list /mnt
    brave-bridge-rescue verify /mnt ID
    brave-bridge-rescue return /mnt ID

/mnt is the folder that the system's root is mounted at, with its other file systems in
their places. A return that is cut off is finished by running it again.
"""

import argparse
import contextlib
import json
import os
import re
import sys
from pathlib import Path

from brave_bridge.machines.rooted import inside
from brave_bridge.snapshots.jobs.check import CheckJob
from brave_bridge.snapshots.jobs.crew import carry_out
from brave_bridge.snapshots.returns.journal import new_journal
from brave_bridge.snapshots.returns.restoration import Restoration, return_parts
from brave_bridge.snapshots.trees.cover import Cover, Exclusion
from brave_bridge.snapshots.trees.hashing import is_same
from brave_bridge.snapshots.trees.manifest import checksum_of

STATE = "/var/lib/brave-bridge"
_ID = re.compile(r"^[a-z0-9][a-z0-9-]{0,79}$")
_FOLDER = re.compile(r"^[a-z0-9][a-z0-9._-]{0,120}$")
_LONGEST = 8000000
_LONG_ESCAPE = re.compile(r"\\U([0-9A-Fa-f]{8})")


def read_toml(text):
    """The tables that a description has: keys with texts, numbers and lists in one line each."""
    top = {}
    table = top
    for line in text.splitlines():
        line = line.strip()
        if not line or line.startswith("#"):
            continue
        if line.startswith("[["):
            table = {}
            top.setdefault(line.strip("[]").strip(), []).append(table)
            continue
        name, equals, value = line.partition("=")
        if not equals:
            raise ValueError("not a line of a description: " + line[:60])
        value = _LONG_ESCAPE.sub(lambda found: chr(int(found.group(1), 16)), value.strip())
        table[name.strip().strip('"')] = json.loads(value)
    return top


def ways_back(root, other_disk):
    """The ways back of a system: each folder with its description, or why it has none."""
    own = inside(root, STATE) / "snapshots"
    for folder in sorted(own.glob("*/")) + sorted(
        Path(other_disk).glob("*/") if other_disk else []
    ):
        place = folder / "description.toml"
        if folder.is_symlink() or not _ID.match(folder.name) or not place.is_file():
            continue
        try:
            with open(str(place), encoding="utf-8") as stream:
                described = read_toml(stream.read(_LONGEST))
            if described.get("id") != folder.name:
                raise ValueError("it names another one")
            yield folder, described, ""
        except (OSError, ValueError, RecursionError) as error:
            yield folder, {}, str(error)


def parts_of(root, folder, described, other_disk):
    """Each part with the folder of its files and the mounted folder that it belongs to."""
    kept_in = described.get("kept_in", "")
    base = Path(other_disk or kept_in) / folder.name if kept_in else folder
    for part in described.get("parts", []):
        if not _FOLDER.match(part["folder"]) or (base / part["folder"]).is_symlink():
            raise ValueError("it names no folder of its own: " + part["folder"][:60])
        if part["engine"] not in ("copy", "btrfs"):
            raise ValueError(
                part["mount"] + " was kept by " + part["engine"] + ": this needs the full program"
            )
        cover = cover_of(described)
        if cover.keeps_out_of(part["mount"]):
            continue
        live = inside(root, part["mount"])
        if part["mount"] != "/" and part["engine"] == "copy" and not os.path.ismount(str(live)):
            device = "UUID=" + part["uuid"] if part.get("uuid") else part.get("device", "")
            raise ValueError("mount " + device + " at " + str(live) + " first")
        yield part, base / part["folder"], live, cover.below(part["mount"])


def cover_of(described):
    """What the way back covers, as it was when it was taken."""
    return Cover(
        tuple(
            Exclusion(one["path"], one.get("reason", "")) for one in described.get("exclusions", [])
        )
    )


def verify(root, folder, described, other_disk):
    """Read every file; the faults, each with its path."""
    for part, kept, _, _ in parts_of(root, folder, described, other_disk):
        manifest = kept / "manifest.jsonl"
        mount = part["mount"].rstrip("/")
        if part.get("checksum") and not _is_whole(manifest, part["checksum"]):
            yield mount + "/: its manifest is not the one that was written"
            continue
        for done in carry_out(CheckJob(str(manifest), str(kept / "tree")), [""]):
            for fault in done.faults:
                yield mount + fault


def _is_whole(manifest, checksum):
    return is_same(checksum_of(manifest, checksum), checksum)


def give_back(root, folder, described, other_disk, tell, skip_damaged):
    """Return the system; what a person has to know, in sentences."""
    restorations = []
    for part, kept, live, cover in parts_of(root, folder, described, other_disk):
        if part.get("checksum") and not _is_whole(kept / "manifest.jsonl", part["checksum"]):
            raise ValueError(part["mount"] + ": its manifest is not the one that was written")
        journal = new_journal(folder.name, described.get("machine", ""), "")
        restorations.append(
            Restoration(
                live,
                kept,
                cover,
                journal,
                None,
                tell,
                part["mount"],
                tuple(part.get("apart", ())),
                skip_damaged,
            )
        )
    report = return_parts(restorations)
    with contextlib.suppress(FileNotFoundError):
        (inside(root, STATE) / "open-leg.json").unlink()
    return report


def chosen(root, wanted, other_disk):
    """The way back that is meant by an id or by ``newest``."""
    known = [way for way in ways_back(root, other_disk) if way[1] and not way[2]]
    known.sort(key=lambda way: (way[1].get("number", 0), way[1].get("created", "")))
    for folder, described, _ in reversed(known):
        if wanted in ("newest", folder.name):
            return folder, described
    raise ValueError("there is no way back " + wanted + " in " + str(root))


def main(words=None):
    """The command line; its exit code."""
    parser = argparse.ArgumentParser(
        prog="brave-bridge-rescue",
        description=__doc__,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    parser.add_argument("deed", choices=("list", "verify", "return"))
    parser.add_argument("root", type=Path, help="where the system's root is mounted")
    parser.add_argument("id", nargs="?", default="newest", help="a way back, or: newest")
    parser.add_argument("--in", dest="disk", default="", help="the folder on another disk")
    parser.add_argument("--yes", action="store_true", help="ask nothing")
    parser.add_argument("--skip-damaged", action="store_true", help="leave damaged files out")
    given = parser.parse_args(words)
    try:
        return _do(given)
    except (OSError, ValueError, KeyError, RecursionError) as error:
        where = getattr(error, "filename", None)
        why = getattr(error, "strerror", None) or str(error)
        print("brave-bridge-rescue: " + why + (" " + str(where) if where else ""), file=sys.stderr)
        print("  the way back is untouched; mend the cause and run it again", file=sys.stderr)
        return 1


def _do(given):
    root = given.root.absolute()
    if given.deed == "list":
        return _list(root, given.disk)
    folder, described = chosen(root, given.id, given.disk)
    if given.deed == "verify":
        faults = list(verify(root, folder, described, given.disk))
        print("\n".join(faults) or folder.name + " is whole")
        return 1 if faults else 0
    if not given.yes:
        try:
            answer = input("Return the system at " + str(root) + " to " + folder.name + "? [y/N] ")
        except EOFError:
            raise ValueError("nobody is there to answer; --yes returns without asking") from None
        if not answer.lower().startswith("y"):
            print("nothing was changed")
            return 1
    last = [""]

    def tell(phase, done, total):
        if phase != last[0]:
            last[0] = phase
            print("· " + phase, flush=True)

    report = give_back(root, folder, described, given.disk, tell, given.skip_damaged)
    for sentence in report.told:
        print("▲ " + sentence)
    print("● " + str(report.put_back) + " paths are back, " + str(report.removed) + " went")
    return 0


def _list(root, disk):
    found = list(ways_back(root, disk))
    for folder, described, fault in found:
        if fault:
            print("■ " + folder.name + "  its description cannot be read: " + fault)
        else:
            about = ("created", "release", "reason")
            print("  ".join(["◇ " + folder.name, *(described.get(name, "") for name in about)]))
    if not found:
        print("there is no way back in " + str(inside(root, STATE) / "snapshots"))
    return 0 if found else 1

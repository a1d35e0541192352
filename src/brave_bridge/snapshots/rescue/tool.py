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

from brave_bridge.core.formats.text import one_line
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.opening.trust import why_not_trusted
from brave_bridge.machines.rooted import inside
from brave_bridge.snapshots.jobs.check import CheckJob
from brave_bridge.snapshots.jobs.crew import carry_out
from brave_bridge.snapshots.returns.journal import new_journal
from brave_bridge.snapshots.returns.restoration import Restoration, return_parts
from brave_bridge.snapshots.trees.cover import Cover, Exclusion
from brave_bridge.snapshots.trees.hashing import UNCHECKED, is_same
from brave_bridge.snapshots.trees.leading import with_what_is_led_to
from brave_bridge.snapshots.trees.manifest import checksum_of

STATE = "/var/lib/brave-bridge"
_ID = re.compile(r"^[a-z0-9][a-z0-9-]{0,79}$")
_FOLDER = re.compile(r"^[a-z0-9][a-z0-9._-]{0,120}$")
_LONGEST = 8000000
_LARGEST_NUMBER = 1 << 62
_LONG_ESCAPE = re.compile(r"\\U([0-9A-Fa-f]{8})")
_MANIFEST = "manifest.jsonl"

_TEXTS = ("id", "machine", "release", "created", "reason", "kept_in")
_PART_TEXTS = ("mount", "engine", "folder", "uuid", "device", "checksum")

_FAULTS = (
    OSError,
    ValueError,
    KeyError,
    TypeError,
    AttributeError,
    OverflowError,
    RecursionError,
    MemoryError,
)
"""What reading something that is none of ours may end in."""


def say(text, stream=None):
    """Tell a person something. Whoever listens no more changes nothing of what was done."""
    with contextlib.suppress(OSError, ValueError):
        print(text, file=stream or sys.stdout, flush=True)


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


def description_of(folder):
    """What a way back says of itself; OSError or ValueError where it says what none can."""
    text = (folder / "description.toml").read(_LONGEST).decode("utf-8")
    described = read_toml(text)
    parts = described.get("parts", [])
    numbers = [described.get("number", 0)]
    texts = [described.get(name, "") for name in _TEXTS]
    texts += [part.get(name, "") for part in parts for name in _PART_TEXTS]
    if not all(isinstance(text, str) for text in texts):
        raise ValueError("it has something else where a text must be")
    if not all(isinstance(n, int) and 0 <= n < _LARGEST_NUMBER for n in numbers):
        raise ValueError("it has something else where a number must be")
    if described.get("id") != folder.name:
        raise ValueError("it names another one")
    if not parts:
        raise ValueError("it names no parts")
    return described


def state_of(root):
    """The state folder of a system, which nobody else can have written to; ValueError."""
    place = inside(root, STATE)
    above = [root, *(root.joinpath(*place.relative_to(root).parts[:n]) for n in range(1, 9))]
    for folder in dict.fromkeys(above):
        with contextlib.suppress(FileNotFoundError):
            must_be_ours(folder, ours_alone=False)
    return Beneath(root, str(place.relative_to(root)), ours=True)


def must_be_ours(folder, ours_alone=True):
    """ValueError where others than root may have written to a folder."""
    why = why_not_trusted(folder, ours_alone=ours_alone) if os.geteuid() == 0 else ""
    if why:
        raise ValueError(why + "; look through it, then: chown root, chmod go-w")


def ways_back(root, other_disk):
    """The ways back of a system: each folder with its description, or why it has none."""
    stores = [state_of(root) / "snapshots"]
    stores += [Beneath(os.path.realpath(other_disk), ours=True)] if other_disk else []
    for folder in [folder for store in stores for folder in store.folders()]:
        if not _ID.match(folder.name) or not (folder / "description.toml").kind:
            continue
        try:
            must_be_ours(folder.above.path)
            must_be_ours(folder.path)
            yield folder, description_of(folder), ""
        except _FAULTS as error:
            yield folder, {}, "it cannot be read or trusted: " + words_of(error)


def words_of(error):
    """What an error says, for one line."""
    where = getattr(error, "filename", None)
    said = getattr(error, "strerror", None) or str(error) or type(error).__name__
    return one_line(said + (" " + str(where) if where else ""), 400)


def parts_of(root, folder, described, other_disk):
    """Each part with the folder of its files and the mounted folder that it belongs to."""
    kept_in = described.get("kept_in", "")
    base = Beneath(other_disk or kept_in, ours=True) / folder.name if kept_in else folder
    for part in described["parts"]:
        if not _FOLDER.match(part["folder"]):
            raise ValueError("it names no folder of its own: " + part["folder"][:60])
        cover = with_what_is_led_to(root, cover_of(described))
        if cover.keeps_out_of(part["mount"]):
            continue
        kept = base / part["folder"]
        for place in (base.path, kept.path):
            must_be_ours(place)
        if not (kept / "tree").is_folder():
            words = " are not in its folder: kept by " + part["engine"] + " they need the program"
            raise ValueError("the files of " + part["mount"] + words)
        live = inside(root, part["mount"])
        if part["mount"] != "/" and not _is_apart(root, live):
            device = "UUID=" + part["uuid"] if part.get("uuid") else part.get("device", "")
            raise ValueError("mount " + device + " at " + str(live) + " first")
        yield part, kept.path, live, cover.below(part["mount"])


def _is_apart(root, live):
    """Whether something is mounted there, or a subvolume of its own: what a part is of."""
    if os.path.ismount(str(live)):
        return True
    return live.is_dir() and os.stat(str(live)).st_dev != os.stat(str(root)).st_dev


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
        mount = part["mount"].rstrip("/")
        found = manifest_of(part, kept)
        if not is_same(found, part["checksum"]):
            yield mount + "/: its manifest is not the one that was written"
            continue
        if found == UNCHECKED:
            yield mount + "/: its hashes are BLAKE3, which nothing here can check"
        for done in carry_out(CheckJob(str(kept / _MANIFEST), str(kept / "tree")), [""]):
            for fault in done.faults:
                yield mount + fault


def manifest_of(part, kept):
    """The hash of a part's manifest; ValueError where the description has none for it."""
    if not part.get("checksum"):
        raise ValueError(part["mount"] + ": the description has no hash of its manifest")
    return checksum_of(kept / _MANIFEST, part["checksum"])


def give_back(root, folder, described, other_disk, tell, skip_damaged):
    """Return the system; what came of it, and what could not be checked."""
    restorations = []
    unchecked = []
    for part, kept, live, cover in parts_of(root, folder, described, other_disk):
        found = manifest_of(part, kept)
        if not is_same(found, part["checksum"]):
            raise ValueError(part["mount"] + ": its manifest is not the one that was written")
        unchecked += [part["mount"]] if found == UNCHECKED else []
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
    (state_of(root) / "open-leg.json").remove()
    return report, unchecked


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
    code = 1
    try:
        code = _do(given)
    except _FAULTS as error:
        say("brave-bridge-rescue: " + words_of(error), sys.stderr)
        say("  the way back is untouched; mend the cause and run it again", sys.stderr)
    for stream in filter(None, (sys.stdout, sys.stderr)):
        _end(stream)
    return code


def _end(stream):
    """Write what is left; where nobody listens, let the interpreter's own end find no fault."""
    try:
        stream.flush()
    except (OSError, ValueError):
        with contextlib.suppress(OSError, ValueError):
            os.dup2(os.open(os.devnull, os.O_WRONLY), stream.fileno())


def _do(given):
    root = given.root.resolve()
    if given.deed == "list":
        return _list(root, given.disk)
    folder, described = chosen(root, given.id, given.disk)
    if given.deed == "verify":
        faults = list(verify(root, folder, described, given.disk))
        say("\n".join(map(one_line, faults)) or folder.name + " is whole")
        return 1 if faults else 0
    if not given.yes:
        try:
            answer = input("Return the system at " + str(root) + " to " + folder.name + "? [y/N] ")
        except EOFError:
            raise ValueError("nobody is there to answer; --yes returns without asking") from None
        if not answer.lower().startswith("y"):
            say("nothing was changed")
            return 1
    last = [""]

    def tell(phase, done, total):
        if phase != last[0]:
            last[0] = phase
            say("· " + phase)

    report, unchecked = give_back(root, folder, described, given.disk, tell, given.skip_damaged)
    for mount in unchecked:
        say("▲ " + one_line(mount) + ": its hashes are BLAKE3, which nothing here could check")
    for sentence in report.told:
        say("▲ " + one_line(sentence, 2000))
    say("● " + str(report.put_back) + " paths are back, " + str(report.removed) + " went")
    return 0


def _list(root, disk):
    found = list(ways_back(root, disk))
    for folder, described, fault in found:
        if fault:
            say("■ " + folder.name + "  " + fault)
        else:
            told = [one_line(described.get(name, "")) for name in ("created", "release", "reason")]
            say("  ".join(["◇ " + folder.name, *told]))
    if not found:
        say("there is no way back in " + str(state_of(root) / "snapshots"))
    return 0 if found else 1

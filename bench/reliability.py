"""Kills, power cuts, full disks and damaged files: is everything fully old or fully new?

``python -m bench.reliability KILLS CUTS`` (by default 1000 and 100) prints the table of
``docs/reliability.md``. It needs root, for its file systems on loop devices.
"""

import contextlib
import fcntl
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

from tests.support import lab
from tests.support.runs import begin, carry_out_on, contents
from tests.support.trees import (
    TRIAL,
    catalogue_at,
    change_parts,
    described,
    differing,
    fill,
    fill_with_parts,
    free,
    machine_at,
)

from brave_bridge.core.formats.paused_sources import waiting_note
from brave_bridge.families.deb.waiting import waiting_sources
from brave_bridge.machines.opening.named import ours_at
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.standin.machine import StandInMachine
from brave_bridge.runner.briefs import Brief, CrossBrief, RemedyBrief, SourcesBrief, UpdateBrief
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.rescue.build import write_rescue_tool
from brave_bridge.snapshots.returning import Returning
from brave_bridge.workbench.demo import build_demo
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.targets import Target

BEHIND_LINKS = {"home": ("srv/home", False), "var/lib/docker": ("srv/docker", True)}
"""What an administrator has moved, by where a link leads there; whether it is an absolute one."""

_FICLONE = 0x40049409
_DEED = """
import sys
from pathlib import Path
from tests.support.trees import TRIAL, machine_at
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.returning import Returning
root, deed = Path(sys.argv[1]), sys.argv[2]
snapshots = Snapshots(machine_at(root), "1")
print("ready", flush=True)
if deed == "take":
    snapshots.take("second", TRIAL)
else:
    Returning(snapshots).restore(snapshots.find("first"))
"""


class Row:
    """What was done how often, how often it was struck in the middle, what was wrong."""

    def __init__(self, what: str) -> None:
        self.what, self.tries, self.struck, self.wrong = what, 0, 0, 0

    def count(self, *, struck: bool, good: bool) -> None:
        """One more."""
        self.tries += 1
        self.struck += struck
        self.wrong += not good

    def __str__(self) -> str:
        return f"| {self.what} | {self.tries} | {self.struck} | {self.wrong} |"


@contextlib.contextmanager
def folder() -> Iterator[Path]:
    """A new folder, gone afterwards."""
    place = Path(tempfile.mkdtemp(prefix="reliability-"))
    try:
        yield place
    finally:
        free(place)
        shutil.rmtree(place, ignore_errors=True)


def a_system(root: Path, chance: random.Random) -> None:
    """A tree with one of everything and some hundred files, its homes and containers elsewhere."""
    fill(root)
    fill_with_parts(root, chance, 60)
    for path, (place, absolute) in BEHIND_LINKS.items():
        (root / place).parent.mkdir(exist_ok=True)
        if (root / path).is_dir():
            (root / path).rename(root / place)
        (root / place).mkdir(exist_ok=True)
        (root / path).parent.mkdir(parents=True, exist_ok=True)
        up = "../" * path.count("/")
        (root / path).symlink_to(f"/{place}" if absolute else f"{up}{place}")


def changed(root: Path, chance: random.Random) -> None:
    """What could have come to it since."""
    change_parts(root, chance, 60, 40)
    (root / "etc/plain").write_text(str(chance.random()))
    for place, _ in BEHIND_LINKS.values():
        (root / place / f"letter-{chance.randrange(5)}").write_text(str(chance.random()))


def covered(root: Path) -> dict:
    """What a snapshot covers of the tree."""
    return {path: seen for path, seen in described(root).items() if not _is_behind(path)}


def letters(root: Path) -> dict:
    """What stands behind links, and stays as it is whatever is returned to."""
    return {path: seen for path, seen in described(root).items() if _is_behind(path)}


def _is_behind(path: bytes) -> bool:
    return path.startswith(b"srv/")


def struck(argv: list[str], seconds: float) -> bool:
    """Start a deed and kill it so long after it is ready; whether that came before its end."""
    process = subprocess.Popen(argv, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
    try:
        process.stdout.readline()
        time.sleep(seconds)
        process.send_signal(signal.SIGKILL)
        return process.wait(60) == -signal.SIGKILL
    finally:
        process.stdout.close()


def deed(root: Path, name: str) -> list[str]:
    """The command of a deed on a tree."""
    return [sys.executable, "-c", _DEED, str(root), name]


def kill_snapshots(times: int, chance: random.Random) -> Row:
    """Snapshots killed: none, or whole, and nothing of the tree changed."""
    row = Row("kill: snapshot")
    with folder() as root:
        snapshots, returning = catalogue_at(root)
        a_system(root, chance)
        snapshots.take("first", TRIAL)
        for _ in range(times):
            before = covered(root)
            was_struck = struck(deed(root, "take"), chance.uniform(0, 0.25))
            whole = all(
                k.is_whole and not returning.check(k.snapshot).faults for k in snapshots.listed()
            )
            row.count(struck=was_struck, good=whole and not differing(before, covered(root)))
            if len(snapshots.listed()) > 1:
                snapshots.delete("second", "trial")
            changed(root, chance)
    return row


def kill_returns(times: int, chance: random.Random, tool: Path | None = None) -> Row:
    """Returns killed, and run again: the tree of before, and nothing left over."""
    row = Row("kill: return by the rescue tool" if tool else "kill: return")
    with folder() as root:
        snapshots, returning = catalogue_at(root)
        a_system(root, chance)
        before = covered(root)
        first = snapshots.take("first", TRIAL)
        again = [sys.executable, "-I", "-S", str(tool), "return", str(root), "first", "--yes"]
        for _ in range(times):
            changed(root, chance)
            came = letters(root)
            argv = again if tool else deed(root, "return")
            was_struck = struck(argv, chance.uniform(0, 0.25))
            if tool and chance.random() < 0.5:
                subprocess.run(again, check=True, capture_output=True)
            else:
                returning.restore(first)
            good = not differing(before, covered(root)) and letters(root) == came
            good = good and not returning.interrupted()
            row.count(struck=was_struck, good=good)
    return row


def kill_procedures(what: str, world: Path, times: int, make: Callable[[Desk], Brief]) -> Row:
    """Procedures killed before and after each request, and gone on with: the same end."""
    row = Row(f"kill: {what}")
    with folder() as place:
        smooth = _ended(world, place / "smooth", make)
        while row.tries < times:
            row.wrong += _ended(world, place / "killed", make, row) != smooth
            shutil.rmtree(place / "killed")
    return row


def _take_up(desk: Desk) -> Brief:
    """A third party's source that waits, and whose archive has the release by now."""
    machine, waits = desk.machine, waiting_note("5.3 bowline")
    for path in machine.files.matching("/etc/apt/sources.list.d/*.list"):
        lines = machine.files.read(path, 100_000).decode().splitlines()
        paused = [f"# {line}  # {waits}" if line.startswith("deb ") else line for line in lines]
        machine.files.write(path, "\n".join([*paused, ""]).encode())
    routes = desk.routes()
    waiting = tuple(waiting_sources(desk.facts().source_files, routes.line, routes.here))
    if not waiting:
        raise RuntimeError("no source waits: there is nothing to take up")
    return SourcesBrief("deb", waiting)


def _ended(world: Path, root: Path, make: Callable[[Desk], Brief], row: Row | None = None) -> dict:
    """What a procedure leaves; where kills are counted, killed once at each of its moments."""
    shutil.copytree(world / "petrel", root, symlinks=True)
    shutil.rmtree(root / "var/lib/brave-bridge/snapshots", ignore_errors=True)

    def desk() -> Desk:
        return Desk(Target("demo", "petrel"), StandInMachine("petrel", root))

    own = desk()
    begin(own, make(own), "trial")
    struck_at = root / "var/lib/brave-bridge/struck"

    def dies(moment: str, seq: int, _logbook: object) -> bool:
        mark = f"{moment}-{seq}"
        if row is None or (struck_at.exists() and mark in struck_at.read_text().split()):
            return False
        with open(struck_at, "a") as stream:
            stream.write(mark + "\n")
        return True

    while os.WIFSIGNALED(carry_out_on(desk, "trial", dies)):
        row.count(struck=True, good=True)
    own.forget_logbook()
    return contents(root)


def cut_power(times: int, chance: random.Random, kind: str, name: str) -> Row:
    """The disk as it is at an instant, mounted anew: the deed is done again, and all is well."""
    row = Row(f"power cut: {name} on {kind}")
    with folder() as place, lab.btrfs(place / "host", "8G") as host:
        for number in range(times):
            with lab.disk(host / str(number), kind, "400M") as mount:
                snapshots, _ = catalogue_at(mount)
                a_system(mount, chance)
                before = covered(mount)
                snapshots.take("first", TRIAL)
                changed(mount, chance)
                os.sync()
                now = {**covered(mount), **letters(mount)}
                process = subprocess.Popen(deed(mount, name), stdout=subprocess.PIPE)
                process.stdout.readline()
                time.sleep(chance.uniform(0, 0.3))
                was_struck = process.poll() is None
                image = host / f"{number}-cut.img"
                _clone(host / str(number) / f"{kind}.img", image)
                process.wait()
                process.stdout.close()
                free(mount)
            row.count(struck=was_struck, good=_is_well(image, kind, name, before, now))
            image.unlink()
            shutil.rmtree(host / str(number))
    return row


def _clone(source: Path, target: Path) -> None:
    with open(source, "rb") as disk, open(target, "wb") as copy:
        fcntl.ioctl(copy, _FICLONE, disk.fileno())


def _is_well(image: Path, kind: str, name: str, before: dict, now: dict) -> bool:
    mount = image.with_suffix("")
    mount.mkdir()
    subprocess.run(["mount", "-o", "loop", str(image), str(mount)], check=True)
    try:
        snapshots = Snapshots(machine_at(mount), "1")
        returning = Returning(snapshots)
        if name == "take":
            whole = all(not returning.check(k.snapshot).faults for k in snapshots.listed())
            return whole and not differing(now, {**covered(mount), **letters(mount)})
        returning.restore(snapshots.find("first"))
        came = {path: seen for path, seen in now.items() if _is_behind(path)}
        good = not differing(before, covered(mount)) and letters(mount) == came
        return good and not returning.interrupted()
    finally:
        free(mount)
        subprocess.run(["umount", str(mount)], check=True)
        mount.rmdir()


def fill_disks(times: int, chance: random.Random) -> Row:
    """Returns on a disk that becomes full: nothing, or all of it."""
    row = Row("full disk: return")
    with folder() as place:
        for number in range(times):
            with lab.disk(place / str(number), "ext4", "120M") as mount:
                snapshots, returning = catalogue_at(mount)
                a_system(mount, chance)
                (mount / "usr/large").write_bytes(chance.randbytes(8_000_000))
                before = covered(mount)
                first = snapshots.take("first", TRIAL)
                (mount / "usr/large").unlink()
                changed(mount, chance)
                room = os.statvfs(mount)
                left = chance.randrange(0, 14_000_000)
                filler = max(room.f_bfree * room.f_frsize - left, 0)
                with contextlib.suppress(OSError), open(mount / "home/filler", "wb") as stream:
                    os.posix_fallocate(stream.fileno(), 0, filler)
                now = covered(mount)
                try:
                    returning.restore(first)
                    row.count(struck=False, good=not differing(before, covered(mount)))
                except MachineError:
                    row.count(struck=True, good=not differing(now, covered(mount)))
                free(mount)
    return row


def damage_files(times: int, chance: random.Random) -> Row:
    """One byte of a way back changed: refused with nothing changed, or all as it was."""
    row = Row("damaged byte: return")
    with folder() as root:
        snapshots, returning = catalogue_at(root)
        a_system(root, chance)
        before = covered(root)
        snapshots.take("first", TRIAL)
        files = [p for p in snapshots.folder.rglob("*") if p.is_file() and not p.is_symlink()]
        for _ in range(times):
            changed(root, chance)
            now = covered(root)
            victim = chance.choice([f for f in files if f.stat().st_size])
            content = victim.read_bytes()
            at = chance.randrange(len(content))
            status = victim.stat()
            spoilt = bytes([content[at] ^ (1 << chance.randrange(8))])
            _write(victim, content[:at] + spoilt + content[at + 1 :], status)
            try:
                returning.restore(snapshots.find("first"))
                row.count(struck=False, good=not differing(before, covered(root)))
            except (MachineError, ValueError):
                row.count(struck=True, good=not differing(now, covered(root)))
            _write(victim, content, status)
    return row


def _write(path: Path, content: bytes, status: os.stat_result) -> None:
    os.chmod(path, 0o600)
    path.write_bytes(content)
    os.chmod(path, status.st_mode & 0o7777)
    os.utime(path, ns=(status.st_atime_ns, status.st_mtime_ns))


def main(kills: int, cuts: int) -> int:
    """Print the table; 1 where anything was wrong."""
    chance = random.Random(2026)
    rows: list[Row] = []

    def told(row: Row) -> None:
        rows.append(row)
        print(row, flush=True)

    print("| what | times | struck in the middle | wrong |\n|---|---|---|---|", flush=True)
    with folder() as place:
        tool = place / "brave-bridge-rescue"
        write_rescue_tool(ours_at(tool))
        build_demo(place / "world", pace=0.0)
        told(kill_snapshots(kills // 4, chance))
        told(kill_returns(kills // 4, chance))
        told(kill_returns(kills // 10, chance, tool))
        for what, make in (
            ("crossing", lambda desk: CrossBrief("deb", Plans(desk).make("7").legs)),
            ("update", lambda desk: UpdateBrief("deb")),
            ("take-up of sources", _take_up),
            ("mend", lambda desk: RemedyBrief("mend", (("dpkg", "--configure", "-a"),), "deb")),
        ):
            told(kill_procedures(what, place / "world", kills // 10, make))
    for kind in ("ext4", "btrfs"):
        for name in ("take", "return"):
            told(cut_power(cuts // 4, chance, kind, name))
    told(fill_disks(max(cuts // 3, 1), chance))
    told(damage_files(max(kills // 5, 1), chance))
    print(f"{sum(r.tries for r in rows)} times, {sum(r.wrong for r in rows)} wrong")
    return 1 if any(row.wrong for row in rows) else 0


if __name__ == "__main__":
    numbers = [int(word) for word in sys.argv[1:]]
    sys.exit(main(*(numbers or (1000, 100))))

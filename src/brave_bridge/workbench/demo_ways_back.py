"""The demo's older ways back: really taken, of machines as they were then, at made-up times."""

import shutil
from datetime import UTC, datetime, timedelta
from pathlib import Path

import msgspec

from brave_bridge import __version__
from brave_bridge.families.identify import read_identity
from brave_bridge.families.registry import outline
from brave_bridge.machines.port import STATE_FOLDER
from brave_bridge.machines.standin.machine import StandInMachine
from brave_bridge.runner.performing.ways_back import about
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.returning import Returning
from brave_bridge.workbench.lines import line_of


class DemoWayBack(msgspec.Struct):
    """A way back that stands in the demo from the beginning. Days are told from today.

    ``release`` is the one that the machine had then, empty for the present one; ``then`` are
    files as they were; ``flipped`` names a file of which one bit was lost on the disk since,
    which verifying found. ``ended`` is why it went, for one that is gone.
    """

    days_ago: float
    reason: str
    leg: str = ""
    release: str = ""
    instead: dict[str, str] = {}
    """Packages of today, and the ones that the machine had in their place."""
    kernel: str = ""
    pinned: str = ""
    ends_in: int | None = None
    ends_because: str = ""
    extendable: bool = True
    flipped: str = ""
    verified_days_ago: float | None = None
    ended: str = ""
    then: dict[str, str] = {}


def take_demo_way_back(machine: StandInMachine, described: DemoWayBack) -> None:
    """Take it as of then, and let happen to it what happened since."""
    moment = datetime.now(UTC) - timedelta(days=described.days_ago)
    snapshots = Snapshots(machine, __version__)
    snapshots.now = lambda: moment.isoformat(timespec="seconds")
    present = {path: machine.files.read_if_there(path, 1 << 20) for path in described.then}
    for path, text in described.then.items():
        machine.files.write(path, text.encode())
    line = line_of(read_identity(machine)[0])
    wanted = about(machine, outline(machine, line.family if line else ""), described.reason)
    if described.kernel:
        wanted = msgspec.structs.replace(wanted, kernel=described.kernel)
    wanted = msgspec.structs.replace(wanted, leg=described.leg)
    taken = snapshots.take(moment.strftime("%Y%m%d-%H%M%S"), wanted)
    for path, content in present.items():
        if content is None:
            machine.files.remove(path)
        else:
            machine.files.write(path, content)
    _what_happened_since(snapshots, taken.id, described)


def _what_happened_since(snapshots: Snapshots, identifier: str, described: DemoWayBack) -> None:
    now = datetime.now(UTC)
    keeping = snapshots.kept(identifier).keeping
    keeping = msgspec.structs.replace(keeping, extendable=described.extendable)
    if described.ends_in is not None:
        ends = now + timedelta(days=described.ends_in)
        keeping = msgspec.structs.replace(
            keeping,
            deadline=ends.isoformat(timespec="seconds"),
            deadline_reason=described.ends_because,
        )
    if described.pinned:
        keeping = msgspec.structs.replace(keeping, pinned=True, pin_reason=described.pinned)
    snapshots.keep(identifier, keeping)
    if described.flipped:
        _flip(snapshots.folder / identifier / "root/tree" / described.flipped.lstrip("/"))
    if described.flipped or described.verified_days_ago is not None:
        Returning(snapshots).check(snapshots.kept(identifier).snapshot)
        days = described.verified_days_ago or 0.0
        when = (now - timedelta(days=days)).isoformat(timespec="seconds")
        keeping = msgspec.structs.replace(snapshots.kept(identifier).keeping, verified_at=when)
        snapshots.keep(identifier, keeping)
    if described.ended:
        snapshots.now = lambda: (now - timedelta(days=1)).isoformat(timespec="seconds")
        snapshots.delete(identifier, described.ended)


def _flip(path: Path) -> None:
    """Lose one bit of a file, as a disk does: its time and size stay."""
    status = path.stat()
    content = bytearray(path.read_bytes())
    content[len(content) // 2] ^= 1
    # In place of the name only: the bit is lost in this copy, not in those that share it.
    other = path.with_name(path.name + ".flipped")
    other.write_bytes(content)
    other.chmod(status.st_mode & 0o7777)
    other.replace(path)


def clear_but_state(root: Path) -> None:
    """Remove a system, but not what Brave Bridge keeps on it."""
    state = root / STATE_FOLDER.lstrip("/")
    for place in (root, root / "var", root / "var/lib"):
        for path in place.iterdir():
            if path == state or path in state.parents:
                continue
            if path.is_dir() and not path.is_symlink():
                shutil.rmtree(path)
            else:
                path.unlink()

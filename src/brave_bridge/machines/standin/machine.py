"""A stand-in: a machine over a real folder tree whose package manager is ours."""

from collections.abc import Iterable, Sequence
from pathlib import Path

from brave_bridge.machines.folder import FolderFiles, FolderMachine
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.queries import Answer, Answers, Knocks, Query, Room, Seen
from brave_bridge.machines.runtime import python_argv
from brave_bridge.machines.standin import live
from brave_bridge.machines.standin.answers import answer

COMMAND = "brave_bridge.machines.standin.command"
_MIB = 1 << 20

LATE = Answer(124, "")


class StandInMachine(FolderMachine):
    """A simulated machine that ships with Brave Bridge."""

    kind = "stand-in"

    def __init__(self, name: str, root: Path) -> None:
        super().__init__(name, root)
        self.files = _StandInFiles(name, root, self._answers, self._knocks)

    def _wrapped(self, argv: Sequence[str]) -> list[str]:
        return [*python_argv(), "-m", COMMAND, str(self.root), "--", *argv]

    def _answers(self, query: Answers) -> dict[tuple[str, ...], Answer]:
        described = live.load(self.root)
        if described is None:
            return {}
        return {
            command: LATE if _is_late(described, command, query) else answer(described, command)
            for command in query.commands
        }

    def _knocks(self, query: Knocks) -> dict[str, str]:
        described = live.load(self.root)
        return live.knocked(described, query) if described else {}


class _StandInFiles(FolderFiles):
    """The files of a stand-in, on disks that it only pretends to have."""

    def gather(self, queries: Iterable[Query]) -> Seen:
        """See Files."""
        seen = super().gather(queries)
        described = live.load(self.root) if seen.rooms else None
        if described and described.rooms:
            mounts = sorted(described.rooms, key=len, reverse=True)
            for path in seen.rooms:
                mount = next(m for m in mounts if m == "/" or f"{path}/".startswith(f"{m}/"))
                seen.rooms[path] = _room(described.rooms[mount], mounts.index(mount))
        return seen


def _is_late(described: live.Live, command: Sequence[str], query: Answers) -> bool:
    words = " ".join(command)
    needs = [seconds for begins, seconds in described.slow.items() if words.startswith(begins)]
    given = query.seconds + (query.more_seconds if command[0] in query.patiently else 0)
    return max(needs, default=0) > given


def _room(room: live.LiveRoom, number: int) -> Room:
    return Room(
        free_bytes=room.free_mib * _MIB,
        total_bytes=room.mib * _MIB,
        free_inodes=room.free_kilo_inodes * 1000,
        total_inodes=room.kilo_inodes * 1000,
        device=number + 1,
    )


def open_stand_in(root: Path, name: str) -> StandInMachine:
    """The stand-in under a folder; MachineError where there is none."""
    if not root.is_dir():
        raise MachineError(
            "opening the stand-in",
            name,
            f"there is no folder {root}",
            "brave-bridge demo --fresh makes the demo fleet anew",
        )
    return StandInMachine(name, root)

"""A live tree held against a manifest: everything that differs, and what it would cost."""

from collections import Counter
from collections.abc import Callable, Iterable
from functools import cache
from pathlib import Path

import msgspec

from brave_bridge.snapshots.jobs.compare import (
    ATTRIBUTES,
    CHANGED,
    EXTRA,
    MISSING,
    CompareJob,
    Difference,
)
from brave_bridge.snapshots.jobs.crew import HELPERS, Crew, carry_out
from brave_bridge.snapshots.trees.cover import Cover, lives
from brave_bridge.snapshots.trees.manifest import FILE, FOLDER
from brave_bridge.snapshots.trees.mounts import mounts_below

_WORDS = {
    MISSING: "missing",
    CHANGED: "other content",
    ATTRIBUTES: "other attributes",
    EXTRA: "not in the snapshot",
}


class Comparison(msgspec.Struct, frozen=True):
    """All differences, by path. ``held`` are folders with something that is not covered in them."""

    differences: tuple[Difference, ...]
    held: frozenset[str] = frozenset()
    compared: int = 0
    apart: frozenset[str] = frozenset()
    """Mounts and subvolumes of their own in the live tree, which are left alone."""
    parted: frozenset[str] = frozenset()
    """What differs and shares its content, by hard link, with what is not covered."""

    @property
    def count(self) -> int:
        """How many paths differ."""
        return len(self.differences)

    def of(self, *how: str) -> list[Difference]:
        """The differences of certain kinds."""
        return [d for d in self.differences if d.how in how]

    @property
    def bytes_to_copy(self) -> int:
        """What a return has to copy."""
        return sum(d.size for d in self.differences if d.how in (MISSING, CHANGED))

    @property
    def bytes_lost(self) -> int:
        """The size of what came or changed since, which a return takes away."""
        return sum(d.live_size for d in self.differences if d.how in (EXTRA, CHANGED))

    def but_written_since(self, moment_ns: int) -> "Comparison":
        """Without what was written after a moment (ns since the epoch), by whoever runs.

        Whether something went since, the time of its folder tells. What came, or lies where a
        system that runs always writes, may have got its name since: logs that were rotated.
        """
        busy = {
            d.path
            for d in self.differences
            if d.live_mtime_ns >= moment_ns and FOLDER in (d.type, d.live_type)
        }
        left = tuple(
            d
            for d in self.differences
            if _last_touched(d) < moment_ns
            and not (d.how == MISSING and d.path.rpartition("/")[0] in busy)
        )
        return msgspec.structs.replace(self, differences=left)

    def named(self, most: int = 5) -> list[str]:
        """The first differences of each kind in words: ``/path: what``."""
        return [
            f"/{difference.path}: {words}"
            for how, words in _WORDS.items()
            for difference in self.of(how)[:most]
        ]


def _last_touched(difference: Difference) -> int:
    """When somebody else than a return touched it last, in ns since the epoch.

    A return gives what it puts back its time of before, and cannot do so with the time of change.
    """
    if difference.how == EXTRA or lives(difference.path):
        return max(difference.live_mtime_ns, difference.live_ctime_ns)
    return difference.live_mtime_ns


def _nothing(done: int) -> None:
    pass


def compare(
    job: CompareJob, progress: Callable[[int], None] = _nothing, helpers: int | Crew = HELPERS
) -> Comparison:
    """Compare every folder. ``progress`` is told how many paths were held against each other.

    OSError where something cannot be read, ValueError where the manifest is damaged.
    """
    found: dict[str, Difference] = {}
    held: set[str] = set()
    links: list[tuple[str, int, int, int]] = []
    apart: set[str] = set()
    compared = 0
    for folder in carry_out(job, [""], helpers):
        found.update((difference.path, difference) for difference in folder.differences)
        held.update(folder.held)
        links += folder.links
        apart.update(folder.apart)
        compared += folder.compared
        progress(compared)
    for path in _regrouped(links):
        present = found.get(path)
        if present is None or present.how == ATTRIBUTES:
            found[path] = Difference(path, CHANGED, FILE, live_type=FILE)
    holders = _with_those_above(held)
    # A folder that came since, but holds what no snapshot covers, stays.
    kept = [
        d for d in found.values() if not (d.how == EXTRA and d.type == FOLDER and d.path in holders)
    ]
    kept.sort(key=lambda difference: difference.path)
    parted = _linked_outside(links) & {d.path for d in kept}
    return Comparison(tuple(kept), frozenset(holders), compared, frozenset(apart), parted)


def _linked_outside(links: list[tuple[str, int, int, int]]) -> frozenset[str]:
    """The paths whose live file has more names than were met."""
    met = Counter(inode for _, _, inode, _ in links if inode)
    return frozenset(path for path, _, inode, names in links if inode and names > met[inode])


def _with_those_above(folders: Iterable[str]) -> set[str]:
    found = set(folders)
    for folder in folders:
        while folder:
            folder = folder.rpartition("/")[0]
            found.add(folder)
    return found


def _regrouped(links: list[tuple[str, int, int, int]]) -> set[str]:
    """The paths whose hard links are not as they were."""
    before = _groups((path, group) for path, group, _, _ in links if group)
    now = _groups((path, inode) for path, _, inode, _ in links if inode)

    @cache
    def are_same(group: frozenset[str], other: frozenset[str]) -> bool:
        # Hashes of frozensets are kept: each two groups are held against each other once.
        return group == other

    none: frozenset[str] = frozenset()
    return {
        path
        for path, group, _, _ in links
        if group and not are_same(before.get(path, none), now.get(path, none))
    } | {path for path, group, inode, _ in links if group == 0 and inode and path in now}


def _groups(members: Iterable[tuple[str, int]]) -> dict[str, frozenset[str]]:
    by_number: dict[int, set[str]] = {}
    for path, number in members:
        by_number.setdefault(number, set()).add(path)
    groups = (frozenset(group) for group in by_number.values() if len(group) > 1)
    return {path: group for group in groups for path in group}


def comparison_job(
    root: Path,
    cover: Cover,
    folder: Path,
    tree: Path | None = None,
    *,
    by_content: bool = False,
    read: frozenset[str] = frozenset(),
) -> CompareJob:
    """The job of comparing ``root`` with the part of a snapshot that stands in ``folder``.

    ``by_content`` and ``read``: see CompareJob.
    """
    return CompareJob(
        root=str(root),
        cover=cover,
        manifest=str(folder / "manifest.jsonl"),
        tree=str(tree or folder / "tree"),
        by_content=by_content,
        read=read,
        mounts=mounts_below(root),
    )

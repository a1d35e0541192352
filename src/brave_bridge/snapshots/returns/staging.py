"""What must come back, copied beside the live tree and checked before any swap.

Each path that is missing, or stands where something else stood, is staged in one piece with all
below it, so that one step brings it in.
"""

import contextlib
import errno
import os
from collections.abc import Callable, Iterator
from pathlib import Path

import msgspec

from brave_bridge.core.formats.text import byte_size
from brave_bridge.snapshots.jobs.compare import Difference
from brave_bridge.snapshots.jobs.crew import Crew, carry_out
from brave_bridge.snapshots.jobs.stage import HANDFUL, StageJob, handfuls
from brave_bridge.snapshots.returns.moving import give_project
from brave_bridge.snapshots.returns.swap_order import belongs_to_boot, depth
from brave_bridge.snapshots.trees.dressing import set_attributes
from brave_bridge.snapshots.trees.flushing import Flushing
from brave_bridge.snapshots.trees.folders import (
    give_name,
    make_folder,
    opened,
    opened_parent,
    opened_root,
)
from brave_bridge.snapshots.trees.manifest import FOLDER, PLACE, Entry, decoded_path
from brave_bridge.snapshots.trees.projects import project_of

Tell = Callable[[str, int, int], None]
"""Called with the phase, how much of it is done, and of how much."""


class Top(msgspec.Struct):
    """A path that is swapped in by one step: its name in the staging folder, and how."""

    entry: Entry
    name: str
    how: str
    live_type: str

    @property
    def boots(self) -> bool:
        return belongs_to_boot(self.entry.path)


class Staging:
    """What is staged from the snapshot's ``tree`` in ``folder``, on the live tree's file system."""

    def __init__(self, tree: Path, folder: Path, tell: Tell) -> None:
        self.tree = tree
        self.folder = folder
        self.tell = tell
        self.tops: list[Top] = []
        self.bytes_copied = 0
        self._differences: list[Difference] = []
        self._wanted: dict[str, Entry] = {}

    def fill(
        self, differences: list[Difference], wanted: dict[str, Entry], helpers: int | Crew
    ) -> None:
        """Copy what is missing or changed: ``wanted`` has its entries, by path.

        DamagedSnapshot or OSError where that cannot be done.
        """
        self._wanted, self._differences = wanted, differences
        places = self._choose_places()
        to_copy, more_names = self._once_each(places)
        self._make_folders(places)
        self._copy(to_copy, helpers)
        with opened_root(self.folder) as work:
            for first, place in more_names:
                give_name(work, decoded_path(first), decoded_path(place))
        self._dress_folders(places)

    def _once_each(
        self, places: dict[str, str]
    ) -> tuple[list[tuple[str, Entry]], list[tuple[str, str]]]:
        """What is copied to which place, and where what is copied has another name too."""
        by_group: dict[int, str] = {}
        to_copy: list[tuple[str, Entry]] = []
        more_names: list[tuple[str, str]] = []
        for path, place in places.items():
            entry = self._wanted[path]
            if entry.type in (FOLDER, PLACE):
                continue
            if entry.links and entry.links in by_group:
                more_names.append((by_group[entry.links], place))
                continue
            to_copy.append((place, entry))
            if entry.links:
                by_group[entry.links] = place
        return to_copy, more_names

    def _copy(self, to_copy: list[tuple[str, Entry]], helpers: int | Crew) -> None:
        job = StageJob(tree=str(self.tree), staging=str(self.folder))
        done = 0
        with Flushing(self.folder) as flushing:
            for result in carry_out(job, handfuls(to_copy), helpers):
                self.bytes_copied += result.bytes_copied
                done += result.files
                flushing.written(self.bytes_copied)
                self.tell("staging", done, len(to_copy))

    def _make_folders(self, places: dict[str, str]) -> None:
        with opened_root(self.folder) as work:
            for start in range(0, len(self.tops), HANDFUL):
                make_folder(work, _place(start).partition("/")[0])
            for path, place in places.items():
                if self._wanted[path].type in (FOLDER, PLACE):
                    make_folder(work, decoded_path(place))

    def _choose_places(self) -> dict[str, str]:
        """Where each path is staged: below its top, the outermost path that is not there yet."""
        places: dict[str, str] = {}
        self.tops = []
        for difference in sorted(self._differences, key=lambda d: depth(d.path)):
            path = difference.path
            above, _, name = path.rpartition("/")
            if above in places:
                places[path] = f"{places[above]}/{name}"
                continue
            places[path] = _place(len(self.tops))
            self.tops.append(
                Top(self._wanted[path], places[path], difference.how, difference.live_type)
            )
        return places

    def _dress_folders(self, places: dict[str, str]) -> None:
        with opened_root(self.folder) as work:
            for path in sorted(places, key=depth, reverse=True):
                entry = self._wanted[path]
                if entry.type in (FOLDER, PLACE):
                    with opened_parent(work, decoded_path(places[path])) as (parent, name):
                        set_attributes(entry, name, parent, with_flags=False)

    def give_projects(self, live: Path) -> None:
        """Give it to the projects that it goes to in the live tree; OSError where one is full."""
        with opened_root(live) as root, opened_root(self.folder) as work:
            for top in self.tops:
                above = decoded_path(top.entry.path.rpartition("/")[0])
                with contextlib.suppress(FileNotFoundError, NotADirectoryError):
                    with opened(root, above) as folder:
                        project = project_of(folder)
                    if project:
                        with opened_parent(work, top.name) as (parent, name):
                            give_project(name, parent, project)

    @staticmethod
    def must_have_inodes(disk: Path, wanted: dict[str, Entry]) -> None:
        """OSError(ENOSPC) where the disk has fewer inodes free than there is to be staged."""
        room = os.statvfs(disk)
        free = room.f_favail if os.geteuid() else room.f_ffree
        needed = len({entry.links or path for path, entry in wanted.items()})
        if room.f_files and free < needed:
            words = f"too few inodes: {needed} files have to be made and {free} inodes are free"
            raise OSError(errno.ENOSPC, words, str(disk))

    def too_little_room(self, disk: Path) -> OSError:
        """What to say where the disk had no room for what is staged, which is gone again."""
        needed = sum(self._bytes_on_disk(entry) for entry in self._wanted_anew())
        room = os.statvfs(disk)
        free = (room.f_bavail if os.geteuid() else room.f_bfree) * room.f_frsize
        words = (
            f"No space left: {byte_size(needed)} have to be copied and {byte_size(free)} are "
            f"free, {max(needed - free, 4096)} bytes are missing"
        )
        return OSError(errno.ENOSPC, words, str(disk))

    def _bytes_on_disk(self, entry: Entry) -> int:
        try:
            return os.lstat(self.tree / decoded_path(entry.path)).st_blocks * 512
        except OSError:
            return entry.size

    def _wanted_anew(self) -> Iterator[Entry]:
        """The files whose content has to be copied, each once, whatever its names."""
        groups = set()
        for difference in self._differences:
            entry = self._wanted[difference.path]
            if entry.links and entry.links in groups:
                continue
            groups.add(entry.links)
            yield entry


def _place(number: int) -> str:
    """Where a top is staged: a folder a handful, so that helpers do not wait for each other."""
    return f"{number // HANDFUL}/{number}"

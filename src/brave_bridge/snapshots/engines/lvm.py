"""Snapshots of logical volumes by their own public tools (lvmthin(7), lvcreate(8)).

A thin snapshot takes room in its pool as blocks change; a classic one has a size of its
own, and is lost when more than that changes. Both are watched.
"""

import contextlib
import shutil
from collections.abc import Iterator
from pathlib import Path

import msgspec

from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.snapshots.engines.engine import (
    FILES,
    MERGE,
    Engine,
    EngineError,
    GivenBack,
    Mounted,
    Part,
    Returned,
    Use,
    Way,
    tool,
)
from brave_bridge.snapshots.engines.mounting import mounted_for_now
from brave_bridge.snapshots.engines.staying import what_must_stay
from brave_bridge.snapshots.jobs.tree_copy import CopyReport, Progress, describe_tree
from brave_bridge.snapshots.trees.cover import Cover

_COLUMNS = "lv_name,vg_name,lv_path,lv_attr,lv_size,pool_lv,origin,data_percent,vg_free"
_CLASSIC_SHARE = 0.2
"""How much of a volume may change before a classic snapshot is full, as made here."""


class Volume(msgspec.Struct, frozen=True):
    """A logical volume as lvs(8) reports it, sizes in bytes, filling in percent."""

    name: str
    group: str
    path: str
    attributes: str
    size: int
    pool: str
    origin: str
    filled: float
    group_free: int

    @property
    def is_thin(self) -> bool:
        """Whether it lives in a thin pool."""
        return bool(self.pool) and self.attributes[:1] == "V"

    @property
    def is_lost(self) -> bool:
        """Whether it is a snapshot that was filled and holds nothing any more."""
        return self.attributes[:1] == "S" or self.attributes[4:5] == "I" or self.filled >= 100


class _Report(msgspec.Struct):
    class Group(msgspec.Struct):
        lv: list[dict[str, str]] = []

    report: list[Group] = []


def read_volumes(text: str) -> list[Volume]:
    """Volumes from lvs's JSON report (``--units b --nosuffix``); ValueError where it is none."""
    report = decode_json(text, _Report)
    return [_volume(row) for group in report.report for row in group.lv]


def _volume(row: dict[str, str]) -> Volume:
    return Volume(
        name=row.get("lv_name", ""),
        group=row.get("vg_name", ""),
        path=row.get("lv_path", ""),
        attributes=row.get("lv_attr", ""),
        size=int(row.get("lv_size") or 0),
        pool=row.get("pool_lv", ""),
        origin=row.get("origin", ""),
        filled=float(row.get("data_percent") or 0),
        group_free=int(row.get("vg_free") or 0),
    )


def volume_at(name: str) -> Volume | None:
    """The volume of a device path or ``group/name``; None where it is none, or lvm is not here."""
    if shutil.which("lvs") is None:
        return None
    options = ("--reportformat", "json", "--units", "b", "--nosuffix", "-o", _COLUMNS)
    try:
        found = read_volumes(tool("lvs", *options, name))
    except (EngineError, msgspec.DecodeError):
        return None
    return found[0] if found else None


class LvmEngine(Engine):
    """Thin and classic snapshots of the volume that a file system is on."""

    name = "lvm"
    kept = "by LVM"
    fills = True

    def why(self, mounted: Mounted, store: Path) -> str:
        volume = volume_at(mounted.device) if mounted.device.startswith("/dev/") else None
        if volume is None or mounted.subvolume != "/":
            return ""
        if volume.is_thin:
            return f"a thin volume: the pool {volume.group}/{volume.pool} keeps what changes"
        wanted = int(volume.size * _CLASSIC_SHARE)
        if volume.group_free >= wanted:
            return (
                f"a volume of {volume.group}, which has room for {wanted >> 20} MiB of changes: "
                "when more than that changes the snapshot is lost"
            )
        return ""

    def place(self, mounted: Mounted, identifier: str) -> str:
        volume = volume_at(mounted.device)
        return f"{volume.group}/{volume.name}-{identifier}"[:120] if volume else ""

    def take(
        self,
        mounted: Mounted,
        cover: Cover,
        folder: Beneath,
        place: str,
        previous: Beneath | None,
        progress: Progress,
    ) -> CopyReport:
        volume = volume_at(mounted.device)
        if volume is None:
            raise EngineError(19, f"{mounted.device} is no logical volume")
        size = [] if volume.is_thin else ["--size", f"{int(volume.size * _CLASSIC_SHARE)}b"]
        origin = f"{volume.group}/{volume.name}"
        tool("lvcreate", "--yes", "--snapshot", "--name", place.partition("/")[2], *size, origin)
        try:
            with self._mounted(place, mounted.type) as tree:
                report = describe_tree(tree, cover, folder, progress, live=mounted.folder)
        except BaseException:
            tool("lvremove", "--yes", place)
            raise
        return report

    @contextlib.contextmanager
    def shown(self, part: Part, folder: Beneath, mounted: Mounted) -> Iterator[Path]:
        volume = volume_at(part.place)
        if volume is None or volume.is_lost:
            raise EngineError(5, f"the snapshot {part.place} was filled, and is lost")
        with self._mounted(part.place, part.file_system) as tree:
            yield tree

    @contextlib.contextmanager
    def _mounted(self, place: str, kind: str) -> Iterator[Path]:
        """Its files, read only: the journal is not replayed, an equal UUID is no hindrance."""
        options = {"xfs": "ro,norecovery,nouuid", "ext4": "ro,noload", "ext3": "ro,noload"}
        tool("lvchange", "--activate", "y", "--ignoreactivationskip", place)
        with mounted_for_now("-o", options.get(kind, "ro"), f"/dev/{place}") as folder:
            yield folder

    def delete(self, part: Part, folder: Beneath, mounted: Mounted | None) -> None:
        if volume_at(part.place) is not None:
            tool("lvremove", "--yes", part.place)

    def fault(self, part: Part, folder: Beneath) -> str:
        if shutil.which("lvs") is None:
            return "the tools for logical volumes (lvm2) are not installed here"
        volume = volume_at(part.place)
        if volume is None:
            return f"its volume {part.place} is not there"
        return f"its volume {part.place} was filled, and is lost" if volume.is_lost else ""

    def use(self, part: Part, folder: Beneath) -> Use:
        volume = volume_at(part.place)
        if volume is None:
            return Use(0, 0, 0)
        held = int(volume.size * volume.filled / 100)
        if volume.is_thin:
            pool = volume_at(f"{volume.group}/{volume.pool}")
            left = int(pool.size * (100 - pool.filled) / 100) if pool else -1
            return Use(held, 0, left)
        return Use(volume.size, 0, volume.size - held)

    def way(self, returned: Returned) -> Way:
        device = returned.mounted.folder.stat().st_dev
        if left := what_must_stay(returned.mounted.folder, returned.cover):
            return Way(
                FILES, f"/{left} is on the same volume and must stay as it is: files come back"
            )
        if returned.state.stat().st_dev == device:
            why = "the logbook is on the same volume and must stay as it is: files come back"
            return Way(FILES, why)
        return Way(MERGE, "the volume becomes its snapshot, which is used up by that")

    def give_back(self, returned: Returned, identifier: str) -> GivenBack:
        restart = self.merge(returned.part)
        return GivenBack(used_up=True, restart_needed=restart)

    def merge(self, part: Part) -> bool:
        """Let the volume become its snapshot, which is used up; whether a restart is needed.

        A volume that is in use is merged when it is activated next. Done again after a kill,
        a merge that has begun counts as done.
        """
        if volume_at(part.place) is None:
            return True
        said = tool("lvconvert", "--yes", "--merge", part.place)
        return "next activation" in said or "in use" in said

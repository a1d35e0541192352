"""Snapshots of ZFS file systems by their own public tool (zfs-snapshot(8), zfs-list(8))."""

import contextlib
import shutil
from collections.abc import Iterator
from pathlib import Path

from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.snapshots.engines.engine import Engine, EngineError, Mounted, Part, Use, tool
from brave_bridge.snapshots.jobs.tree_copy import CopyReport, Progress, describe_tree
from brave_bridge.snapshots.trees.cover import Cover


class ZfsEngine(Engine):
    """Snapshots of the dataset that is mounted; a return goes file by file.

    Rolling a dataset back would destroy every later snapshot of it, so that is not done.
    """

    name = "zfs"
    kept = "by ZFS"

    def why(self, mounted: Mounted, store: Path) -> str:
        if mounted.type != "zfs" or shutil.which("zfs") is None:
            return ""
        return f"the ZFS dataset {mounted.device}: the pool itself keeps the snapshot"

    def place(self, mounted: Mounted, identifier: str) -> str:
        return f"{mounted.device}@{identifier}"

    def take(
        self,
        mounted: Mounted,
        cover: Cover,
        folder: Beneath,
        place: str,
        previous: Beneath | None,
        progress: Progress,
    ) -> CopyReport:
        tool("zfs", "snapshot", place)
        try:
            with self._files(place, mounted.folder) as tree:
                report = describe_tree(tree, cover, folder, progress, live=mounted.folder)
        except BaseException:
            tool("zfs", "destroy", place)
            raise
        return report

    @contextlib.contextmanager
    def shown(self, part: Part, folder: Beneath, mounted: Mounted) -> Iterator[Path]:
        with self._files(part.place, mounted.folder) as tree:
            yield tree

    @contextlib.contextmanager
    def _files(self, place: str, mounted_at: Path) -> Iterator[Path]:
        """The snapshot's files, which the dataset shows below its hidden folder."""
        dataset, _, name = place.partition("@")
        tree = mounted_at / ".zfs/snapshot" / name
        if not tree.is_dir():
            raise EngineError(2, f"the pool has no snapshot {name} of {dataset}")
        yield tree

    def delete(self, part: Part, folder: Beneath, mounted: Mounted | None) -> None:
        if part.place in self._known(part.place.partition("@")[0]):
            tool("zfs", "destroy", part.place)

    def use(self, part: Part, folder: Beneath) -> Use:
        known = self._known(part.place.partition("@")[0])
        used, referenced = known.get(part.place, (0, 0))
        return Use(used, max(referenced - used, 0))

    @staticmethod
    def _known(dataset: str) -> dict[str, tuple[int, int]]:
        """The snapshots of a dataset: the bytes that each holds alone, and refers to."""
        columns = "name,used,referenced"
        said = tool("zfs", "list", "-H", "-p", "-t", "snapshot", "-o", columns, "-r", dataset)
        rows = [line.split("\t") for line in said.splitlines()]
        return {row[0]: (int(row[1]), int(row[2])) for row in rows if len(row) == 3}

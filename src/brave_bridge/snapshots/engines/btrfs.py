"""Snapshots of btrfs subvolumes: the file system keeps them, and exchanges them."""

import contextlib
from collections.abc import Iterator, Sequence
from contextlib import AbstractContextManager
from pathlib import Path

from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.subvolumes import file_system_uuid, is_subvolume
from brave_bridge.snapshots.engines import btrfs_subvolumes, btrfs_swap
from brave_bridge.snapshots.engines.engine import (
    FILES,
    SWAP,
    Engine,
    GivenBack,
    Mounted,
    Part,
    Returned,
    Use,
    Way,
    tool,
)
from brave_bridge.snapshots.jobs.tree_copy import CopyReport, Progress, describe_tree
from brave_bridge.snapshots.trees.cover import Cover


class BtrfsEngine(Engine):
    """Read-only snapshots of subvolumes; nothing is copied."""

    name = "btrfs"
    kept = "by btrfs"
    nests = True
    can_be_started = True
    by_rescue_tool = True

    def why(self, mounted: Mounted, store: Path) -> str:
        if not is_subvolume(mounted.folder) or not _same_file_system(mounted.folder, store):
            return ""
        return "a btrfs subvolume: the file system itself keeps the snapshot, nothing is copied"

    def is_read_only(self, mounted: Mounted) -> bool:
        return btrfs_subvolumes.is_read_only(mounted.folder)

    def inner(self, mounted: Mounted) -> list[str]:
        return btrfs_subvolumes.nested(mounted.folder)

    def take(
        self,
        mounted: Mounted,
        cover: Cover,
        folder: Beneath,
        place: str,
        previous: Beneath | None,
        progress: Progress,
    ) -> CopyReport:
        tool("btrfs", "subvolume", "snapshot", "-r", str(mounted.folder), str(folder / "tree"))
        return describe_tree((folder / "tree").path, cover, folder, progress, live=mounted.folder)

    @contextlib.contextmanager
    def shown(self, part: Part, folder: Beneath, mounted: Mounted) -> Iterator[Path]:
        yield (folder / "tree").path

    def delete(self, part: Part, folder: Beneath, mounted: Mounted | None) -> None:
        tree = folder / "tree"
        if tree.is_folder() and is_subvolume(tree.path):
            btrfs_subvolumes.delete_subvolume(tree.path)

    def use(self, part: Part, folder: Beneath) -> Use:
        return btrfs_subvolumes.subvolume_use((folder / "tree").path)

    def way(self, returned: Returned) -> Way:
        part, mounted = returned.part, returned.mounted
        if why := btrfs_swap.can_swap(part, mounted, returned.cover, returned.folder):
            return Way(FILES, why)
        return Way(SWAP, "the subvolume is exchanged; the present one is set aside")

    def give_back(self, returned: Returned, identifier: str) -> GivenBack:
        aside = btrfs_swap.swap_in(returned.part, returned.mounted, returned.folder, identifier)
        return GivenBack(aside=(aside,))

    def opened_up(self, part: Part, mounted: Mounted) -> AbstractContextManager[None]:
        return btrfs_subvolumes.writable(mounted.folder, afterwards=not part.read_only)

    @contextlib.contextmanager
    def live(self, mounted: Mounted) -> Iterator[Path]:
        if btrfs_swap.MARK not in mounted.subvolume:
            yield mounted.folder
            return
        with btrfs_subvolumes.top_of(mounted.device) as top:
            yield top / mounted.subvolume.strip("/").partition(btrfs_swap.MARK)[0]

    def cut_off(self, mounted: Mounted) -> str:
        return btrfs_swap.was_cut_off(mounted)

    def finish(self, mounted: Mounted) -> None:
        btrfs_swap.finish(mounted)

    def by_hand(self, root: Mounted, tree: str, spared: Sequence[str]) -> tuple[str, ...]:
        name = root.subvolume.strip("/")
        if not name:
            return ()
        device = f"UUID={root.uuid}" if root.uuid else root.device
        return (
            f"mkdir /top && mount -o subvolid=5 {device} /top && cd /top",
            f"mv {name} {name}.broken",
            f"btrfs subvolume snapshot {name}.broken{tree} {name}",
        )


def _same_file_system(folder: Path, store: Path) -> bool:
    """Whether both are on one btrfs, whatever the subvolumes."""
    return file_system_uuid(folder) == file_system_uuid(store) != b""

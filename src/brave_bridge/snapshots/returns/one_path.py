"""Putting one path of a snapshot back, with all below it, in one step."""

import errno
import os
from pathlib import Path

from brave_bridge.snapshots.jobs.crew import carry_out
from brave_bridge.snapshots.jobs.stage import StageJob, handfuls
from brave_bridge.snapshots.returns.swap_order import depth
from brave_bridge.snapshots.trees.cover import STAGING, Cover
from brave_bridge.snapshots.trees.dressing import set_attributes
from brave_bridge.snapshots.trees.folders import (
    Boundary,
    list_folder,
    make_folder,
    opened,
    opened_parent,
    opened_root,
)
from brave_bridge.snapshots.trees.manifest import (
    FOLDER,
    PLACE,
    Entry,
    Manifest,
    decoded_path,
    joined,
)
from brave_bridge.snapshots.trees.mounts import mounts_below
from brave_bridge.snapshots.trees.removal import remove_tree
from brave_bridge.snapshots.trees.system_calls import exchange, sync_file_system

_ONE = f"{STAGING}-path"


def put_back_path(manifest: Manifest, tree: Path, root: Path, path: str, cover: Cover) -> str:
    """Make ``path`` (as the manifest writes it) what the snapshot has; what was done in words.

    Staged beside the live tree and checked, then exchanged in one rename. What stood there
    goes. OSError or ValueError leave everything as it was.
    """
    if not path:
        raise ValueError("the root is put back by a return")
    entries = _below(manifest, path)
    if not entries:
        raise ValueError(f"the snapshot has no /{path}")
    _refuse_to_displace(root, decoded_path(path), cover)
    work = root / _ONE
    with opened_root(root) as top:
        times = os.fstat(top)
        try:
            remove_tree(_ONE, top)
            os.mkdir(_ONE, 0o700, dir_fd=top)
            _stage(entries, tree, work, path)
            sync_file_system(work)
            _swap_in(work, decoded_path(path), top)
        finally:
            remove_tree(_ONE, top)
            os.utime(top, ns=(times.st_atime_ns, times.st_mtime_ns))
    sync_file_system(root)
    return f"/{decoded_path(path)} is back: {len(entries)} paths"


def _refuse_to_displace(root: Path, path: str, cover: Cover) -> None:
    """OSError(EBUSY) where what stands there holds what no snapshot covers: it would go."""
    pending, leaver = [path], cover.leaver()
    with opened_root(root) as top:
        boundary = Boundary(top, mounts_below(root))
        while pending:
            place = pending.pop()
            folder, _, name = place.rpartition("/")
            if name in boundary.mounted_in(folder):
                raise OSError(errno.EBUSY, "something is mounted there", f"/{place}")
            try:
                with opened(top, place) as descriptor:
                    listing = list_folder(descriptor, place, boundary, leaver)
            except (FileNotFoundError, NotADirectoryError):
                continue
            if listing.left_out:
                words = "it holds what the snapshot does not cover, and would have to go"
                raise OSError(errno.EBUSY, words, f"/{place}")
            pending += [joined(place, inner) for inner in listing.folders]


def _swap_in(work: Path, path: str, root: int) -> None:
    """Let what is staged and what stands at the path change places; its folder stays as it is."""
    folder, _, name = path.rpartition("/")
    with opened(root, folder) as parent, opened_root(work) as staged:
        before = os.stat(parent)
        try:
            os.stat(name, dir_fd=parent, follow_symlinks=False)
        except FileNotFoundError:
            os.rename("it", name, src_dir_fd=staged, dst_dir_fd=parent)
        else:
            exchange("it", staged, name, parent)
        if folder:
            os.utime(parent, ns=(before.st_atime_ns, before.st_mtime_ns))


def _below(manifest: Manifest, path: str) -> dict[str, Entry]:
    first = manifest.entry(path)
    if first is None:
        return {}
    found = {path: first}
    if first.type == FOLDER:
        pending = [path]
        while pending:
            folder = pending.pop()
            found.update((e.path, e) for e in manifest.others_in(folder).values())
            for inner in manifest.folders_in(folder):
                found[inner] = manifest.folder(inner)
                pending.append(inner)
    if any(entry.type == PLACE for entry in found.values()):
        raise ValueError(f"/{path} has something in it that the snapshot does not cover")
    return found


def _stage(entries: dict[str, Entry], tree: Path, work: Path, path: str) -> None:
    places = {entry: "it" + entry[len(path) :] for entry in entries}
    folders = [p for p, entry in entries.items() if entry.type == FOLDER]
    with opened_root(work) as descriptor:
        for folder in sorted(folders, key=depth):
            make_folder(descriptor, decoded_path(places[folder]))
    files = [(places[p], entry) for p, entry in entries.items() if entry.type != FOLDER]
    for _ in carry_out(StageJob(str(tree), str(work)), handfuls(files)):
        pass
    with opened_root(work) as descriptor:
        for folder in sorted(folders, key=depth, reverse=True):
            with opened_parent(descriptor, decoded_path(places[folder])) as (parent, name):
                set_attributes(entries[folder], name, parent, with_flags=False)

"""The settings archive: a tar archive that common tools read, with an index and a checksum.

``settings/STAMP.tar.zst`` in the state folder, or a folder that the person names, holds
/etc, the package selections, sources, keys and boot settings; ``STAMP.index.txt`` names
every path with its size, and ``STAMP.sha256`` is read by sha256sum(1).
"""

import contextlib
import hashlib
import io
import os
import stat
import tarfile
from collections.abc import Iterable, Iterator
from typing import BinaryIO

import msgspec
import zstandard

from brave_bridge.machines.folder import FolderFiles, FolderMachine
from brave_bridge.machines.opening.beneath import DIRECTORY, Beneath
from brave_bridge.machines.opening.named import named_folder
from brave_bridge.machines.port import MachineError
from brave_bridge.snapshots.archive_names import FOLDER

_TREES = (
    "etc",
    "boot/loader",
    "boot/grub/grub.cfg",
    "boot/firmware/config.txt",
    "boot/firmware/cmdline.txt",
    "boot/config.txt",
)
_LARGEST = 64_000_000
"""Bytes of one file that go into the archive; a larger one is no setting."""


class SettingsArchive(msgspec.Struct, frozen=True):
    """An archive that was made: its files, how many paths it has, what was left out and why."""

    path: str
    index: str
    checksum: str
    entries: int
    size_bytes: int
    left_out: tuple[str, ...]


def archive_settings(
    machine: FolderMachine,
    texts: dict[str, str],
    stamp: str,
    folder: str = "",
    more: tuple[str, ...] = (),
) -> SettingsArchive:
    """Write an archive; MachineError where it cannot be written. Owners and modes are kept.

    ``texts`` are what is no file of the system, by name; ``folder`` is another place than the
    state folder; ``more`` are paths that the machine's family has settings at, beside those of
    every system.
    """
    if not folder:
        machine.state.make()
    place = named_folder(folder) if folder else machine.state.beneath / FOLDER
    try:
        place.make_folder()
        return _archived(machine, texts, place / f"{stamp}.tar.zst", (*_TREES, *more))
    except OSError as error:
        raise MachineError(
            "writing the settings backup",
            machine.name,
            f"{place}: {error.strerror or error}",
            "name another folder with --to",
        ) from error


def _archived(
    machine: FolderMachine, texts: dict[str, str], target: Beneath, trees: tuple[str, ...]
) -> SettingsArchive:
    stem = target.name.removesuffix(".tar.zst")
    index_place = target.beside(f"{stem}.index.txt")
    # The archive gets its name last: where it stands, index and sum stand too.
    with target.replacing(0o600) as raw:
        index, left_out = _write(machine.files, texts, raw, trees)
        size = raw.seek(0, os.SEEK_END)
        raw.seek(0)
        digest = hashlib.file_digest(raw, "sha256").hexdigest()
        text = "".join(index).encode(errors="surrogateescape")
        index_place.write(text, 0o600)
        sum_line = f"{digest}  {target.name}\n".encode()
        target.beside(f"{stem}.sha256").write(sum_line, 0o600)
    return SettingsArchive(
        path=str(target),
        index=str(index_place),
        checksum=digest,
        entries=len(index),
        size_bytes=size,
        left_out=tuple(left_out),
    )


def _write(
    files: FolderFiles, texts: dict[str, str], raw: BinaryIO, trees: tuple[str, ...]
) -> tuple[list[str], list[str]]:
    index: list[str] = []
    left_out: list[str] = []
    with (
        zstandard.ZstdCompressor(level=6).stream_writer(raw, closefd=False) as packed,
        tarfile.open(fileobj=packed, mode="w|", format=tarfile.PAX_FORMAT) as archive,
    ):
        for name, text in texts.items():
            content = text.encode()
            entry = tarfile.TarInfo(name)
            entry.size, entry.mode = len(content), 0o600
            archive.addfile(entry, io.BytesIO(content))
            index.append(f"{len(content):>10}  {name}\n")
        for path, place in _settings(files, trees):
            _add(archive, path, place, index, left_out)
    return index, left_out


def _settings(files: FolderFiles, trees: Iterable[str]) -> Iterator[tuple[str, Beneath]]:
    """The settings by their paths on the machine, parents first; no link is followed."""
    for tree in trees:
        place = files.beneath(f"/{tree}", follow_last=False)
        if place.kind:
            yield tree, place
        yield from _below(tree, place)


def _below(path: str, place: Beneath) -> Iterator[tuple[str, Beneath]]:
    """What is below a folder, each folder before what is in it; nothing below all else."""
    pending = [(path, place)] if place.is_folder() else []
    while pending:
        path, place = pending.pop()
        with contextlib.suppress(OSError):
            for name, kind in place.entries():
                yield f"{path}/{name}", place / name
                pending += [(f"{path}/{name}", place / name)] if kind == DIRECTORY else []


def _add(
    archive: tarfile.TarFile, path: str, place: Beneath, index: list[str], left_out: list[str]
) -> None:
    try:
        status = place.status()
        if status is None:
            return
        entry = _described(path, status)
        if entry is None:
            left_out.append(f"{path}: neither a file, a folder nor a link")
        elif entry.isreg() and status.st_size > _LARGEST:
            left_out.append(f"{path}: larger than {_LARGEST} bytes")
        else:
            _add_entry(archive, entry, place)
            index.append(f"{entry.size:>10}  {path}\n")
    except OSError as error:
        left_out.append(f"{path}: {error.strerror or error}")


def _described(path: str, status: os.stat_result) -> tarfile.TarInfo | None:
    """The entry of a path; None for what is neither file, folder nor link. Owners by number."""
    kinds = {
        stat.S_IFREG: tarfile.REGTYPE,
        stat.S_IFDIR: tarfile.DIRTYPE,
        stat.S_IFLNK: tarfile.SYMTYPE,
    }
    kind = kinds.get(stat.S_IFMT(status.st_mode))
    if kind is None:
        return None
    entry = tarfile.TarInfo(path)
    entry.type, entry.mode = kind, stat.S_IMODE(status.st_mode)
    entry.uid, entry.gid, entry.mtime = status.st_uid, status.st_gid, int(status.st_mtime)
    return entry


def _add_entry(archive: tarfile.TarFile, entry: tarfile.TarInfo, place: Beneath) -> None:
    if entry.issym():
        entry.linkname = place.link()
    if not entry.isreg():
        archive.addfile(entry)
        return
    content = place.read(_LARGEST)
    entry.size = len(content)
    archive.addfile(entry, io.BytesIO(content))

"""The settings archive: a tar archive that common tools read, with an index and a checksum.

``settings/STAMP.tar.zst`` in the state folder, or a folder that the person names, holds
/etc, the package selections, sources, keys and boot settings; ``STAMP.index.txt`` names
every path with its size, and ``STAMP.sha256`` is read by sha256sum(1).
"""

import hashlib
import io
import os
import tarfile
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import BinaryIO

import msgspec
import zstandard

from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.writing import replace_file, replacing
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
    place = Path(folder) if folder else machine.state.folder / FOLDER
    try:
        place.mkdir(parents=True, exist_ok=True, mode=0o700)
        return _archived(machine, texts, place / f"{stamp}.tar.zst", (*_TREES, *more))
    except OSError as error:
        raise MachineError(
            "writing the settings backup",
            machine.name,
            f"{place}: {error.strerror or error}",
            "name another folder with --to",
        ) from error


def _archived(
    machine: FolderMachine, texts: dict[str, str], target: Path, trees: tuple[str, ...]
) -> SettingsArchive:
    stem = target.name.removesuffix(".tar.zst")
    index_place = target.with_name(f"{stem}.index.txt")
    # The archive gets its name last: where it stands, index and sum stand too.
    with replacing(target, 0o600) as raw:
        index, left_out = _write(machine.root, texts, raw, trees)
        raw.seek(0)
        digest = hashlib.file_digest(raw, "sha256").hexdigest()
        text = "".join(index).encode(errors="surrogateescape")
        replace_file(index_place, text, 0o600)
        sum_line = f"{digest}  {target.name}\n".encode()
        replace_file(target.with_name(f"{stem}.sha256"), sum_line, 0o600)
    return SettingsArchive(
        path=str(target),
        index=str(index_place),
        checksum=digest,
        entries=len(index),
        size_bytes=target.stat().st_size,
        left_out=tuple(left_out),
    )


def _write(
    root: Path, texts: dict[str, str], raw: BinaryIO, trees: tuple[str, ...]
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
        for path in _paths(root, trees):
            _add(archive, root, path, index, left_out)
    return index, left_out


def _paths(root: Path, trees: Iterable[str]) -> Iterator[str]:
    """The paths of the settings below a root, parents first; no link is followed."""
    for tree in trees:
        place = root / tree
        if place.is_symlink() or place.is_file():
            yield tree
        elif place.is_dir():
            yield tree
            for parent, folders, files in os.walk(place):
                folders.sort()
                relative = os.path.relpath(parent, root)
                yield from (f"{relative}/{name}" for name in sorted(folders + files))


def _add(
    archive: tarfile.TarFile, root: Path, path: str, index: list[str], left_out: list[str]
) -> None:
    place = root / path
    try:
        entry = archive.gettarinfo(place, arcname=path)
        if entry is not None and entry.islnk():
            # A hard link within the archive would tie a file to one that may be left out.
            entry.type, entry.linkname, entry.size = tarfile.REGTYPE, "", place.stat().st_size
        if entry is None or not (entry.isreg() or entry.isdir() or entry.issym()):
            left_out.append(f"{path}: neither a file, a folder nor a link")
        elif entry.isreg() and entry.size > _LARGEST:
            left_out.append(f"{path}: larger than {_LARGEST} bytes")
        else:
            _add_entry(archive, entry, place)
            index.append(f"{entry.size:>10}  {path}\n")
    except OSError as error:
        left_out.append(f"{path}: {error.strerror or error}")


def _add_entry(archive: tarfile.TarFile, entry: tarfile.TarInfo, place: Path) -> None:
    if not entry.isreg():
        archive.addfile(entry)
        return
    with open(place, "rb") as stream:
        content = stream.read(_LARGEST + 1)
    entry.size = len(content)
    archive.addfile(entry, io.BytesIO(content))

"""The settings backup: a tar archive that common tools read, with an index and a checksum.

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

import msgspec
import zstandard

from brave_bridge.core.survey.facts import Facts
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.snapshots.catalogue import make_state_folder

FOLDER = "settings"
_TREES = ("etc", "boot/loader", "boot/grub/grub.cfg", "boot/firmware/config.txt",
          "boot/firmware/cmdline.txt", "boot/config.txt")  # fmt: skip
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


def newest_archive_day(machine: Machine) -> str:
    """The ISO day of the newest archive in the state folder; empty where there is none."""
    try:
        names = sorted(os.listdir(machine.state / FOLDER))
    except OSError:
        return ""
    stamps = [name[:8] for name in names if name.endswith(".tar.zst") and name[:8].isdigit()]
    return f"{stamps[-1][:4]}-{stamps[-1][4:6]}-{stamps[-1][6:8]}" if stamps else ""


def archive_settings(
    machine: Machine, facts: Facts, stamp: str, folder: Path | None, more: tuple[str, ...] = ()
) -> SettingsArchive:
    """Write an archive; MachineError where it cannot be written. Owners and modes are kept.

    ``more`` are paths that the machine's family has settings at, beside those of every system.
    """
    if folder is None:
        make_state_folder(machine)
        folder = machine.state / FOLDER
    target = folder / f"{stamp}.tar.zst"
    temporary = folder / f".{target.name}.new"
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        index, left_out = _write(machine, facts, temporary, (*_TREES, *more))
        digest = _digest(temporary)
        _write_text(folder / f"{stamp}.index.txt", "".join(index))
        _write_text(folder / f"{stamp}.sha256", f"{digest}  {target.name}\n")
        # The archive gets its name last: where it stands, index and sum stand too.
        os.replace(temporary, target)
    except OSError as error:
        temporary.unlink(missing_ok=True)
        raise MachineError(
            "writing the settings backup", machine.name, f"{folder}: {error.strerror or error}",
            "name another folder with --to",
        ) from error  # fmt: skip
    return SettingsArchive(
        path=str(target),
        index=str(folder / f"{stamp}.index.txt"),
        checksum=digest,
        entries=len(index),
        size_bytes=target.stat().st_size,
        left_out=tuple(left_out),
    )


def _write(
    machine: Machine, facts: Facts, place: Path, trees: tuple[str, ...]
) -> tuple[list[str], list[str]]:
    index: list[str] = []
    left_out: list[str] = []
    descriptor = os.open(place, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(descriptor, "wb") as raw:
        with (
            zstandard.ZstdCompressor(level=6).stream_writer(raw, closefd=False) as packed,
            tarfile.open(fileobj=packed, mode="w|", format=tarfile.PAX_FORMAT) as archive,
        ):
            for name, text in _texts(facts):
                content = text.encode()
                entry = tarfile.TarInfo(name)
                entry.size, entry.mode = len(content), 0o600
                archive.addfile(entry, io.BytesIO(content))
                index.append(f"{len(content):>10}  {name}\n")
            for path in _paths(machine.root, trees):
                _add(archive, machine.root, path, index, left_out)
        raw.flush()
        os.fsync(raw.fileno())
    return index, left_out


def _texts(facts: Facts) -> Iterator[tuple[str, str]]:
    """What is not a file of the system: the selections, and where the machine stood."""
    lines = [f"{p.name}:{p.architecture}\t{p.version}\t{p.want}\n" for p in facts.installed]
    yield "brave-bridge/packages.txt", "".join(lines)
    who = facts.identity
    told = {
        "machine": facts.machine, "taken at": facts.taken_at, "system": who.name,
        "kernel": facts.boot.kernel, "command line": facts.boot.command_line,
        "firmware": facts.boot.firmware,
    }  # fmt: skip
    yield "brave-bridge/machine.txt", "".join(f"{name}: {value}\n" for name, value in told.items())
    mounts = [f"{m.device} {m.path} {m.type} {m.options}\n" for m in facts.mounts]
    yield "brave-bridge/mounts.txt", "".join(mounts)


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


def _digest(place: Path) -> str:
    with open(place, "rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def _write_text(place: Path, text: str) -> None:
    descriptor = os.open(place, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(descriptor, "w", encoding="utf-8", errors="surrogateescape") as stream:
        stream.write(text)

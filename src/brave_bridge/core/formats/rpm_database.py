"""The rpm package database in its SQLite form: package headers, read without rpm.

A header is an index of (tag, type, offset, count) entries over a store of values, all
numbers big-endian (rpm's format documentation, "Package header").
"""

import sqlite3
import struct
from collections.abc import Iterator
from datetime import UTC, datetime

from brave_bridge.core.formats.deb822 import FormatError
from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.formats.kernel_path import kernel_in

_NAME, _VERSION, _RELEASE, _EPOCH = 1000, 1001, 1002, 1003
_INSTALL_TIME, _SIZE, _VENDOR, _GROUP, _ARCH, _SOURCE = 1008, 1009, 1011, 1016, 1022, 1044
_DIGESTS, _FLAGS, _DIR_INDEXES, _BASENAMES, _DIR_NAMES = 1035, 1037, 1116, 1117, 1118
_INT32, _STRING, _STRING_ARRAY, _I18N = 4, 6, 8, 9
_TEXTS = (_STRING, _STRING_ARRAY, _I18N)
_CONFIG = 1
_WANTED = frozenset(
    (
        _NAME,
        _VERSION,
        _RELEASE,
        _EPOCH,
        _INSTALL_TIME,
        _SIZE,
        _VENDOR,
        _GROUP,
        _ARCH,
        _SOURCE,
        _DIGESTS,
        _FLAGS,
        _DIR_INDEXES,
        _BASENAMES,
        _DIR_NAMES,
    )
)
_MAX_ENTRIES = 1 << 16


def read_rpm_database(content: bytes, *, where: str = "") -> list[InstalledPackage]:
    """The packages of an ``rpmdb.sqlite`` file; FormatError where it is damaged."""
    return [_package(values) for values in read_headers(content, _WANTED, where=where)]


def read_headers(
    content: bytes, wanted: frozenset[int], *, where: str = ""
) -> Iterator[dict[int, list]]:
    """The wanted tags of every package of an ``rpmdb.sqlite`` file; FormatError if damaged."""
    if content[:16] != b"SQLite format 3\0":
        raise FormatError(f"{where}: not an SQLite file")
    # A database in write-ahead mode cannot be opened from memory: its header says so here.
    content = content[:18] + b"\x01\x01" + content[20:]
    connection = sqlite3.connect(":memory:")
    try:
        connection.deserialize(content)
        blobs = [row[0] for row in connection.execute("SELECT blob FROM Packages ORDER BY hnum")]
    except sqlite3.Error as error:
        raise FormatError(f"{where}: {error}") from error
    finally:
        connection.close()
    for blob in blobs:
        values = read_header(blob, wanted, where=where)
        if _NAME in values and values[_NAME][0] != "gpg-pubkey":
            yield values


def read_header(
    blob: bytes, wanted: frozenset[int] = _WANTED, *, where: str = ""
) -> dict[int, list]:
    """The wanted tags of a header, each with its list of values; FormatError if damaged."""
    try:
        count, size = struct.unpack_from(">II", blob)
        if count > _MAX_ENTRIES or 8 + 16 * count + size > len(blob):
            raise FormatError(f"{where}: a header that is longer than its record")
        store = blob[8 + 16 * count : 8 + 16 * count + size]
        values = {}
        for number in range(count):
            tag, kind, offset, length = struct.unpack_from(">IIII", blob, 8 + 16 * number)
            if tag in wanted:
                values[tag] = list(_values(store, kind, offset, length))
    except (struct.error, TypeError, ValueError) as error:
        raise FormatError(f"{where}: a damaged header: {error}") from error
    return values


def _values(store: bytes, kind: int, offset: int, count: int) -> Iterator:
    if count > len(store):
        raise FormatError("a header entry with more values than bytes")
    if kind == _INT32:
        yield from struct.unpack_from(f">{count}I", store, offset)
    elif kind in _TEXTS:
        for _ in range(count):
            end = store.index(b"\0", offset)
            yield store[offset:end].decode("utf-8", "replace")
            offset = end + 1


def _package(values: dict[int, list]) -> InstalledPackage:
    def first(tag: int, default=""):
        found = values.get(tag)
        return found[0] if found else default

    epoch = first(_EPOCH, 0)
    version = f"{first(_VERSION)}-{first(_RELEASE)}"
    installed = first(_INSTALL_TIME, 0)
    return InstalledPackage(
        name=first(_NAME),
        version=f"{epoch}:{version}" if epoch else version,
        architecture=first(_ARCH),
        section=first(_GROUP),
        installed_kib=first(_SIZE, 0) // 1024,
        vendor=first(_VENDOR),
        installed_at=datetime.fromtimestamp(installed, UTC).isoformat() if installed else "",
        conffiles=dict(_config_files(values)),
        kernel=_kernel(values),
        # NAME-VERSION-RELEASE.src.rpm
        source=first(_SOURCE).rpartition("-")[0].rpartition("-")[0],
    )


def _kernel(values: dict[int, list]) -> str:
    """The version of the kernel whose image is among the files; empty where none is."""
    folders = values.get(_DIR_NAMES, [])
    rows = zip(values.get(_BASENAMES, []), values.get(_DIR_INDEXES, []), strict=False)
    for name, index in rows:
        if name.startswith("vmlinuz") and index < len(folders):
            return kernel_in(folders[index] + name)
    return ""


def _config_files(values: dict[int, list]) -> Iterator[tuple[str, str]]:
    """The paths of the files marked as configuration, with the sum of each as shipped."""
    folders = values.get(_DIR_NAMES, [])
    rows = zip(
        values.get(_BASENAMES, []),
        values.get(_DIR_INDEXES, []),
        values.get(_FLAGS, []),
        values.get(_DIGESTS, []),
        strict=False,
    )
    for name, index, flags, digest in rows:
        if flags & _CONFIG and digest and index < len(folders):
            yield folders[index] + name, digest

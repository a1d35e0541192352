"""Package databases of the families that cannot cross yet, written in their own formats."""

import hashlib
import sqlite3
import struct
from collections.abc import Mapping, Sequence
from pathlib import Path

from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.standin.packages import EPOCH

Configs = Mapping[str, tuple[str, str, str]]
"""Path to package, shipped text and text as it stands."""

_INT32, _STRING, _STRING_ARRAY = 4, 6, 8
TagValue = str | Sequence[str] | Sequence[int]


def rpm_header(tags: Mapping[int, TagValue]) -> bytes:
    """A package header: the index entries, then the store of values, numbers big-endian."""
    index, store = b"", b""
    for tag, value in sorted(tags.items()):
        if isinstance(value, str):
            kind, count, content = _STRING, 1, value.encode() + b"\0"
        elif value and all(isinstance(text, str) for text in value):
            kind, count = _STRING_ARRAY, len(value)
            content = b"".join(str(text).encode() + b"\0" for text in value)
        else:
            kind, count, content = _INT32, len(value), struct.pack(f">{len(value)}I", *value)
            store += b"\0" * (-len(store) % 4)
        index += struct.pack(">IIII", tag, kind, len(store), count)
        store += content
    return struct.pack(">II", len(tags), len(store)) + index + store


def write_rpm_root(machine: FolderMachine, packages: Mapping[str, str], configs: Configs) -> None:
    """An rpm database in its SQLite form, a repository file and the config files."""
    place = machine.root / "usr/lib/sysimage/rpm/rpmdb.sqlite"
    place.parent.mkdir(parents=True, exist_ok=True)
    _write_configs(machine, configs)
    write_rpm_database(
        place, [_rpm_tags(name, version, configs) for name, version in packages.items()]
    )
    machine.files.write(
        "/etc/yum.repos.d/fathom.repo",
        b"[fathom]\nname=Fathom $releasever\nbaseurl=http://archive.fathom.example/$releasever\n"
        b"enabled=1\ngpgcheck=1\n",
    )


def write_rpm_database(place: Path, headers: list[Mapping[int, TagValue]]) -> None:
    """An ``rpmdb.sqlite`` with these packages."""
    connection = sqlite3.connect(place)
    with connection:
        connection.execute("CREATE TABLE Packages (hnum INTEGER PRIMARY KEY, blob BLOB NOT NULL)")
        connection.executemany(
            "INSERT INTO Packages (blob) VALUES (?)", [(rpm_header(tags),) for tags in headers]
        )
    connection.close()


def _rpm_tags(name: str, version: str, configs: Configs) -> dict[int, TagValue]:
    epoch, _, rest = version.rpartition(":")
    upstream, _, release = rest.rpartition("-")
    tags: dict[int, TagValue] = {
        1000: name,
        1001: upstream,
        1002: release,
        1008: [EPOCH - 40_000_000],
        1009: [4_000_000],
        1011: "Fathom project",
        1022: "x86_64",
    }
    if epoch:
        tags[1003] = [int(epoch)]
    owned = {path: row[1] for path, row in configs.items() if row[0] == name}
    if owned:
        folder = next(iter(owned)).rpartition("/")[0]
        sums = [hashlib.sha256(text.encode()).hexdigest() for text in owned.values()]
        tags |= _files(folder, {p.rpartition("/")[2]: s for p, s in zip(owned, sums, strict=True)})
    elif name.endswith("-kernel"):
        tags |= _files(f"/lib/modules/{version}", {"vmlinuz": ""})
    return tags


def _files(folder: str, sums: Mapping[str, str]) -> dict[int, TagValue]:
    """The tags of the files in a folder; those with a sum are config files."""
    return {
        1035: list(sums.values()),
        1037: [1 if known else 0 for known in sums.values()],
        1116: [0] * len(sums),
        1117: list(sums),
        1118: [folder + "/"],
    }


def write_alpm_root(machine: FolderMachine, packages: Mapping[str, str], configs: Configs) -> None:
    """A local database of the alpm family and the config files."""
    local = "/var/lib/pacman/local"
    machine.files.write(f"{local}/ALPM_DB_VERSION", b"9\n")
    _write_configs(machine, configs)
    for name, version in packages.items():
        desc = {
            "NAME": name,
            "VERSION": version,
            "BASE": name,
            "ARCH": "x86_64",
            "INSTALLDATE": str(EPOCH - 2_000_000),
            "PACKAGER": "Driftline",
            "SIZE": "4000000",
        }
        text = "".join(f"%{field}%\n{value}\n\n" for field, value in desc.items())
        machine.files.write(f"{local}/{name}-{version}/desc", text.encode())
        backup = "".join(
            f"{path.lstrip('/')}\t{_md5(row[1])}\n"
            for path, row in configs.items()
            if row[0] == name
        )
        image = f"usr/lib/modules/{version}/vmlinuz\n" if name.endswith("-linux") else ""
        files = f"%FILES%\nusr/\n{image}\n" + (f"%BACKUP%\n{backup}\n" if backup else "")
        machine.files.write(f"{local}/{name}-{version}/files", files.encode())


def write_other_root(
    family: str, machine: FolderMachine, packages: Mapping[str, str], configs: Configs
) -> None:
    """A package database as a family keeps it; nothing for one that has none."""
    writers = {"rpm": write_rpm_root, "alpm": write_alpm_root}
    if family in writers:
        writers[family](machine, packages, configs)


def _md5(text: str) -> str:
    return hashlib.md5(text.encode(), usedforsecurity=False).hexdigest()


def _write_configs(machine: FolderMachine, configs: Configs) -> None:
    for path, (_, _, present) in configs.items():
        machine.files.write(path, present.encode())

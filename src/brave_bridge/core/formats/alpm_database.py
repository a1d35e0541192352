"""The local package database of the alpm family: ``%NAME%``, lines, a blank line."""

from datetime import UTC, datetime

from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.formats.kernel_path import kernel_in


def read_blocks(text: str) -> dict[str, list[str]]:
    """The blocks of a ``desc`` or ``files`` file, each with its lines."""
    blocks: dict[str, list[str]] = {}
    name = ""
    for line in text.splitlines():
        if line.startswith("%") and line.endswith("%") and len(line) > 2:
            name = line.strip("%")
            blocks[name] = []
        elif line and name:
            blocks[name].append(line)
        else:
            name = ""
    return blocks


def read_local_package(desc: str, files: str) -> InstalledPackage | None:
    """A package by its ``desc`` and ``files``; None where it has no name or version."""
    values = read_blocks(desc)

    def first(name: str) -> str:
        lines = values.get(name)
        return lines[0] if lines else ""

    if not first("NAME") or not first("VERSION"):
        return None
    installed, size = first("INSTALLDATE"), first("SIZE")
    backup = [line.split("\t") for line in read_blocks(files).get("BACKUP", [])]
    return InstalledPackage(
        name=first("NAME"),
        version=first("VERSION"),
        architecture=first("ARCH"),
        section=first("GROUPS"),
        installed_kib=int(size) // 1024 if size.isdigit() else 0,
        vendor=first("PACKAGER"),
        installed_at=datetime.fromtimestamp(int(installed), UTC).isoformat()
        if installed.isdigit() and int(installed) < 1 << 34
        else "",
        conffiles={"/" + row[0]: row[1] for row in backup if len(row) == 2},
        depends=", ".join(values.get("DEPENDS", [])),
        provides=", ".join(values.get("PROVIDES", [])),
        kernel=next(filter(None, map(kernel_in, read_blocks(files).get("FILES", []))), ""),
        source=first("BASE"),
        by_hand=first("REASON") != "1",
    )

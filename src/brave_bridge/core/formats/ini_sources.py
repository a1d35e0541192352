"""Package sources in sections of ``Name = value`` lines: dnf.conf(5) and pacman.conf(5).

Addresses are told without their credentials: what is read here is shown, and kept.
"""

from collections.abc import Iterator

from brave_bridge.core.formats.apt_sources import SourceEntry
from brave_bridge.core.formats.hidden import hide

_NOT_A_SOURCE = ("main", "options")


def sections(text: str) -> Iterator[tuple[int, str, list[tuple[str, str]]]]:
    """Each section's line number, name and assignments in order."""
    at, name = 0, ""
    rows: list[tuple[str, str]] = []
    for number, line in enumerate(text.splitlines(), start=1):
        line = line.strip()
        if line.startswith("[") and line.endswith("]"):
            if name:
                yield at, name, rows
            at, name, rows = number, line[1:-1].strip(), []
        elif line and line[0] not in "#;":
            key, _, value = line.partition("=")
            rows.append((key.strip(), value.strip()))
    if name:
        yield at, name, rows


def read_repo_file(text: str, path: str) -> list[SourceEntry]:
    """The enabled repositories of a ``.repo`` file."""
    found = []
    for line, name, rows in sections(text):
        values = dict(rows)
        if name in _NOT_A_SOURCE or values.get("enabled", "1") in ("0", "false", "no"):
            continue
        uri = hide(
            values.get("baseurl") or values.get("metalink") or values.get("mirrorlist") or ""
        )
        unchecked = values.get("gpgcheck", "1") in ("0", "false", "no")
        options = {"trusted": "yes"} if unchecked else {}
        found.append(SourceEntry(path, line, ("rpm",), (uri,), (name,), (), options))
    return found


def read_pacman_config(text: str, path: str) -> list[SourceEntry]:
    """The repositories of a pacman.conf file; an Include stands for its servers."""
    found, trusts_all = [], False
    for line, name, rows in sections(text):
        never = any(key == "SigLevel" and "Never" in value.split() for key, value in rows)
        if name in _NOT_A_SOURCE:
            trusts_all = never
            continue
        uris = tuple(hide(value) for key, value in rows if key in ("Server", "Include"))
        options = {"trusted": "yes"} if never or trusts_all else {}
        found.append(SourceEntry(path, line, ("alpm",), uris or ("",), (name,), (), options))
    return found

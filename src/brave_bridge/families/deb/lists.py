"""Reading package indices on a machine: named packages out of tens of thousands of stanzas."""

import re
from collections.abc import Iterable

from brave_bridge.core.formats.apt_status_db import Candidate, candidate
from brave_bridge.core.formats.deb822 import stanzas
from brave_bridge.core.versions.deb import version_key
from brave_bridge.machines.port import Machine

INDEX_LIMIT = 400_000_000
"""Bytes that one index may have; the largest real ones have a seventh of it."""

_PACKAGE = re.compile(rb"^Package: (\S+)$", re.MULTILINE)


def find_candidates(machine: Machine, lists: str, names: Iterable[str]) -> tuple[Candidate, ...]:
    """The newest version of each named package in the indices below ``lists``, by name."""
    wanted = {name.partition(":")[0].encode() for name in names}
    newest: dict[str, Candidate] = {}
    for path in machine.matching(f"{lists}/*_Packages"):
        content = machine.read(path, INDEX_LIMIT)
        for found in _stanzas_of(content, wanted, path):
            known = newest.get(found.name)
            if known is None or version_key(found.version) > version_key(known.version):
                newest[found.name] = found
    return tuple(newest[name] for name in sorted(newest))


def _stanzas_of(content: bytes, wanted: set[bytes], where: str):
    for match in _PACKAGE.finditer(content):
        if match[1] not in wanted:
            continue
        start = content.rfind(b"\n\n", 0, match.start()) + 2 if match.start() else 0
        end = content.find(b"\n\n", match.end())
        text = content[max(start, 0) : end if end >= 0 else None].decode("utf-8", "replace")
        for fields in stanzas(text, where=where):
            yield candidate(fields, text)


def names_in(machine: Machine, lists: str) -> set[str]:
    """The names of all packages in the indices below ``lists``."""
    found: set[str] = set()
    for path in machine.matching(f"{lists}/*_Packages"):
        content = machine.read(path, INDEX_LIMIT)
        found.update(name.decode("ascii", "replace") for name in _PACKAGE.findall(content))
    return found

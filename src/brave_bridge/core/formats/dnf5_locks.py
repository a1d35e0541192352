"""Writing the version locks of dnf5 (``versionlock.toml``): ranges of versions that may come."""

from collections.abc import Iterable
from typing import Any

import tomlkit

from brave_bridge.core.formats.package_locks import LocksFault


def with_range(text: str, names: Iterable[str], least: str, below: str, comment: str) -> str:
    """The text with locks on packages: only versions from ``least`` on and before ``below``."""
    document = _parsed(text)
    document.setdefault("version", "1.0")
    entries: Any = document.setdefault("packages", tomlkit.aot())
    for name in names:
        entry = tomlkit.table()
        entry.update({"name": name, "comment": comment})
        conditions = tomlkit.aot()
        for comparator, value in ((">=", least), ("<", below)):
            condition = tomlkit.table()
            condition.update({"key": "evr", "comparator": comparator, "value": value})
            conditions.append(condition)
        entry.append("conditions", conditions)
        entries.append(entry)
    return tomlkit.dumps(document)


def without_comment(text: str, comment: str) -> str:
    """The text without the locks whose comment begins so."""
    document = _parsed(text)
    entries: Any = document.get("packages", [])
    for number in reversed(range(len(entries))):
        if str(entries[number].get("comment", "")).startswith(comment):
            del entries[number]
    if not entries:
        document.pop("packages", None)
    return tomlkit.dumps(document)


def _parsed(text: str) -> tomlkit.TOMLDocument:
    try:
        document = tomlkit.parse(text)
    except (tomlkit.exceptions.TOMLKitError, RecursionError) as error:
        raise LocksFault(str(error)) from error
    if not isinstance(document.get("packages", tomlkit.aot()), tomlkit.items.AoT):
        raise LocksFault("packages is no list of tables")
    return document

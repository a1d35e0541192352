"""The JSON of what makes a machine ready; fields as documented in docs/json.md."""

from collections.abc import Iterable
from typing import Any

import msgspec

from brave_bridge.cli import documents
from brave_bridge.core.field_notes import FieldNote
from brave_bridge.core.formats.apt_sources import SourceEntry
from brave_bridge.core.formats.paused_sources import PausedSource
from brave_bridge.snapshots.settings_archive import SettingsArchive
from brave_bridge.workbench.readiness import PendingUpdates


def updates(pending: PendingUpdates) -> dict[str, Any]:
    """What a look for updates found."""
    return {
        "updates": [msgspec.to_builtins(update) for update in pending.updates],
        "security": sum(update.security for update in pending.updates),
        "download_bytes": sum(update.download_bytes for update in pending.updates),
        "new": list(pending.new),
        "removed": list(pending.removed),
        "kept_back": list(pending.kept_back),
        "failed_sources": list(pending.failed_sources),
        "restart_wanted": pending.restart_wanted,
    }


def sources(active: Iterable[SourceEntry], waiting: Iterable[PausedSource]) -> dict[str, Any]:
    """Where packages come from, and what waits."""
    return {
        "active": [documents.source(entry) for entry in active],
        "waiting": [{**documents.source(one.entry), "before": one.before} for one in waiting],
    }


def archive(made: SettingsArchive) -> dict[str, Any]:
    """A settings backup."""
    return {**msgspec.to_builtins(made), "left_out": list(made.left_out)}


def note(found: FieldNote) -> dict[str, Any]:
    """A field note."""
    return msgspec.to_builtins(found)

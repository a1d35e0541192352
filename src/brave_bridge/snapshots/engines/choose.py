"""Which engine makes the snapshot of a file system, and why."""

from pathlib import Path

from brave_bridge.snapshots.engines.btrfs import BtrfsEngine
from brave_bridge.snapshots.engines.copied import TreeCopyEngine
from brave_bridge.snapshots.engines.engine import Engine, Mounted, Part
from brave_bridge.snapshots.engines.lvm import LvmEngine
from brave_bridge.snapshots.engines.zfs import ZfsEngine

ENGINES: dict[str, Engine] = {
    engine.name: engine for engine in (ZfsEngine(), BtrfsEngine(), LvmEngine(), TreeCopyEngine())
}
"""By name, the one that is preferred first."""


def engine_of(part: Part) -> Engine:
    """The engine that keeps a part. KeyError where none is called so."""
    return ENGINES[part.engine]


def choose(mounted: Mounted, store: Path, named: str = "") -> tuple[Engine, str]:
    """The engine for a file system whose snapshot is kept in ``store``, and why.

    ``named`` names one; ValueError where it does not suit.
    """
    for name, engine in ENGINES.items():
        if named not in ("", name):
            continue
        if why := engine.why(mounted, store):
            return engine, f"asked for; {why}" if named else why
    raise ValueError(f"{named} does not suit {mounted.path}, which is {mounted.type or 'unknown'}")

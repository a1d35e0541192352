"""A machine as a way back has it."""

from collections.abc import Iterable

from brave_bridge.machines.queries import Query, Seen
from brave_bridge.snapshots.description import Snapshot
from brave_bridge.snapshots.returning import Returning


class AsKept:
    """A system that can only be looked at: see LookedAt."""

    kind = "tree"
    is_mounted_only = True

    def __init__(self, returning: Returning, snapshot: Snapshot) -> None:
        self.name = snapshot.id
        self.files = _KeptFiles(returning, snapshot)


class _KeptFiles:
    def __init__(self, returning: Returning, snapshot: Snapshot) -> None:
        self._returning = returning
        self._snapshot = snapshot

    def gather(self, queries: Iterable[Query]) -> Seen:
        """See Files."""
        return self._returning.gather(self._snapshot, tuple(queries))

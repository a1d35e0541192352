"""A way back as pages and commands see it."""

import msgspec

from brave_bridge.core.ways_back.retention import Fate
from brave_bridge.snapshots.description import Kept


class WayBack(msgspec.Struct, frozen=True, kw_only=True):
    """A snapshot with all that is known around it."""

    kept: Kept
    fate: Fate
    days_left: int | None

    @property
    def id(self) -> str:
        """Its name."""
        return self.kept.snapshot.id

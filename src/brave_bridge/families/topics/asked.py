"""What is asked of a machine beyond every survey: paths and settings that known issues tell of."""

import msgspec

from brave_bridge.core.survey.facts import LookedAt
from brave_bridge.machines.queries import Contents, Names, Query, Seen

_LIMIT = 64 * 1024


class Asked(msgspec.Struct, frozen=True):
    """Patterns of config files whose lines are wanted, and of paths that may be there."""

    settings: tuple[str, ...] = ()
    files: tuple[str, ...] = ()

    @property
    def queries(self) -> tuple[Query, ...]:
        """What it takes to answer."""
        settings = (Contents(self.settings, _LIMIT, cut=True),) if self.settings else ()
        return (*settings, *((Names(self.files),) if self.files else ()))

    def read(self, seen: Seen) -> LookedAt | None:
        """What was found; None where nothing was asked."""
        if not self.queries:
            return None
        texts = dict(pair for pattern in self.settings for pair in seen.texts(pattern))
        there = {found.path for pattern in self.files for found in seen.paths(pattern)}
        return LookedAt(
            there=tuple(sorted(there)),
            lines={path: _lines(text) for path, text in texts.items()},
            faults=dict(seen.faults),
        )


def _lines(text: str) -> tuple[str, ...]:
    """The lines that say something, without comments."""
    lines = (line.partition("#")[0].rstrip() for line in text.splitlines())
    return tuple(line for line in lines if line.strip() and not line.lstrip().startswith(";"))

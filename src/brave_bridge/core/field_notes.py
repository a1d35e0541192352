"""Field notes: what was learnt on one machine about a leg, for all machines that face it."""

from collections.abc import Iterable

import msgspec

SEVERITIES = ("note", "caution", "wait")
"""``wait`` advises against the leg until the note is lifted."""


class FieldNote(msgspec.Struct, frozen=True):
    """One note. ``leg`` is a leg's key; ``lifted`` is why it no longer holds, empty while it does.

    Times are ISO 8601 in UTC.
    """

    id: int
    leg: str
    machine: str
    severity: str
    text: str
    workaround: str = ""
    written: str = ""
    lifted: str = ""
    lifted_at: str = ""

    @property
    def holds(self) -> bool:
        """Whether nobody has lifted it."""
        return not self.lifted


def about(notes: Iterable[FieldNote], leg: str) -> tuple[FieldNote, ...]:
    """The notes that hold for a leg, the gravest first."""
    found = [note for note in notes if note.leg == leg and note.holds]
    return tuple(sorted(found, key=lambda note: -SEVERITIES.index(note.severity)))

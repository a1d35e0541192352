"""Reading field notes, where there are any: only then is the library loaded that keeps them."""

from brave_bridge.core.field_notes import FieldNote
from brave_bridge.machines.port import State
from brave_bridge.store.opening import has_notes, open_notes


def read_notes(state: State) -> tuple[FieldNote, ...]:
    """The notes of a fleet; none, and no file made, where nothing was ever written.

    DatabaseError where they cannot be read.
    """
    if not has_notes(state):
        return ()
    notes = open_notes(state)
    try:
        return tuple(notes.all())
    finally:
        notes.close()

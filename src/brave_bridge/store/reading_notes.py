"""Reading field notes, where there are any: only then is the library loaded that keeps them."""

from pathlib import Path

from brave_bridge.core.field_notes import FieldNote
from brave_bridge.store.rows import NOTES_FILE


def read_notes(folder: Path) -> tuple[FieldNote, ...]:
    """The notes in a folder; none, and no file made, where nothing was ever written.

    DatabaseError where they cannot be read.
    """
    if not (folder / NOTES_FILE).is_file():
        return ()
    from brave_bridge.store.field_notes import FieldNotes

    notes = FieldNotes(folder)
    try:
        return tuple(notes.all())
    finally:
        notes.close()

"""Opening what is stored about a machine or a fleet: nobody else knows where it stands.

A state folder names the address of a database (a URL as SQLAlchemy reads it). What is an SQLite
file can be looked for, and set aside, without the library that reads it.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

from brave_bridge.machines.opening.named import ours_at
from brave_bridge.machines.port import Machine, State
from brave_bridge.store.address import is_file, is_stored, sqlite_file
from brave_bridge.store.rows import LOGBOOK_FILE, NOTES_FILE

if TYPE_CHECKING:
    from brave_bridge.store.field_notes import FieldNotes
    from brave_bridge.store.logbook import Logbook


def has_logbook(machine: Machine) -> bool:
    """Whether anything was ever recorded of a machine."""
    return is_stored(machine.state.database(LOGBOOK_FILE))


def open_logbook(machine: Machine) -> "Logbook":
    """A machine's logbook, made where it is missing. DatabaseError where it cannot be opened."""
    from brave_bridge.store.logbook import Logbook

    return Logbook(machine.state.database(LOGBOOK_FILE))


@contextmanager
def reading_logbook(machine: Machine) -> Iterator["Logbook | None"]:
    """A machine's logbook for as long as it is read; None where nothing was ever recorded."""
    if not has_logbook(machine):
        yield None
        return
    logbook = open_logbook(machine)
    try:
        yield logbook
    finally:
        logbook.close()


def set_logbook_aside(machine: Machine) -> None:
    """Set a damaged logbook aside, so that a new one begins. OSError."""
    _set_aside(machine.state.database(LOGBOOK_FILE))


def has_notes(state: State) -> bool:
    """Whether a field note was ever written."""
    return is_stored(state.database(NOTES_FILE))


def open_notes(state: State) -> "FieldNotes":
    """The field notes of a fleet. DatabaseError where they cannot be opened."""
    from brave_bridge.store.field_notes import FieldNotes

    return FieldNotes(state.database(NOTES_FILE))


def notes_to_write(state: State) -> "FieldNotes":
    """The field notes, to be written to; what is damaged is set aside first."""
    from brave_bridge.store.faults import DamagedDatabase

    state.make()
    try:
        return open_notes(state)
    except DamagedDatabase:
        _set_aside(state.database(NOTES_FILE))
        return open_notes(state)


def _set_aside(address: str) -> None:
    if is_file(address):
        ours_at(sqlite_file(address)).set_aside()

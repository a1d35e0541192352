"""The field notes of a fleet: one SQLite file with the person who looks after it."""

from datetime import UTC, datetime

from sqlalchemy import Column, Integer, MetaData, String, Table, insert, select, update

from brave_bridge.core.field_notes import SEVERITIES, FieldNote
from brave_bridge.store.database import Database, values_of

_schema = MetaData()

_notes = Table(
    "notes",
    _schema,
    Column("id", Integer, primary_key=True, autoincrement=True),
    Column("leg", String, nullable=False, index=True),
    Column("machine", String, nullable=False),
    Column("severity", String, nullable=False),
    Column("text", String, nullable=False),
    Column("workaround", String, nullable=False, default=""),
    Column("written", String, nullable=False),
    Column("lifted", String, nullable=False, default=""),
    Column("lifted_at", String, nullable=False, default=""),
)


class FieldNotes:
    """The notes of a fleet. DatabaseError where the file is damaged or cannot be written."""

    def __init__(self, address: str) -> None:
        self._database = Database(address, _schema)

    def close(self) -> None:
        """Let go of the file."""
        self._database.close()

    def write(self, leg: str, machine: str, severity: str, text: str, workaround: str = "") -> int:
        """Write a note; its number. ValueError for a severity that is none, or no text."""
        if severity not in SEVERITIES:
            raise ValueError(f"{severity!r} is none of: {', '.join(SEVERITIES)}")
        if not text.strip():
            raise ValueError("a note needs a text")
        note = insert(_notes).values(
            leg=leg,
            machine=machine,
            severity=severity,
            text=text.strip(),
            workaround=workaround.strip(),
            written=_now(),
        )
        with self._database.writing() as connection:
            return connection.execute(note).inserted_primary_key[0]

    def lift(self, number: int, why: str) -> FieldNote:
        """Say that a note no longer holds, and why. KeyError where there is no such note."""
        words = why.strip() or "no longer holds"
        lifted = update(_notes).where(_notes.c.id == number)
        with self._database.writing() as connection:
            connection.execute(lifted.values(lifted=words, lifted_at=_now()))
            note = (
                connection.execute(select(_notes).where(_notes.c.id == number)).mappings().first()
            )
        if note is None:
            raise KeyError(number)
        return FieldNote(**values_of(_notes, note))

    def all(self) -> list[FieldNote]:
        """Every note, the newest first."""
        with self._database.reading() as connection:
            rows = connection.execute(select(_notes).order_by(_notes.c.id.desc())).mappings()
            return [FieldNote(**values_of(_notes, row)) for row in rows]


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds")

"""The field notes of a fleet: one SQLite file with the person who looks after it."""

from datetime import UTC, datetime

from sqlalchemy import select
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from brave_bridge.core.field_notes import SEVERITIES, FieldNote
from brave_bridge.store.database import Database


class _Base(DeclarativeBase):
    pass


class _Note(_Base):
    __tablename__ = "notes"
    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    leg: Mapped[str] = mapped_column(index=True)
    machine: Mapped[str]
    severity: Mapped[str]
    text: Mapped[str]
    workaround: Mapped[str] = mapped_column(default="")
    written: Mapped[str]
    lifted: Mapped[str] = mapped_column(default="")
    lifted_at: Mapped[str] = mapped_column(default="")


class FieldNotes:
    """The notes of a fleet. DatabaseError where the file is damaged or cannot be written."""

    def __init__(self, address: str) -> None:
        self._database = Database(address, _Base)

    def close(self) -> None:
        """Let go of the file."""
        self._database.close()

    def write(self, leg: str, machine: str, severity: str, text: str, workaround: str = "") -> int:
        """Write a note; its number. ValueError for a severity that is none, or no text."""
        if severity not in SEVERITIES:
            raise ValueError(f"{severity!r} is none of: {', '.join(SEVERITIES)}")
        if not text.strip():
            raise ValueError("a note needs a text")
        note = _Note(
            leg=leg,
            machine=machine,
            severity=severity,
            text=text.strip(),
            workaround=workaround.strip(),
            written=_now(),
        )
        with self._database.session() as session, session.begin():
            session.add(note)
            session.flush()
            return note.id

    def lift(self, number: int, why: str) -> FieldNote:
        """Say that a note no longer holds, and why. KeyError where there is no such note."""
        with self._database.session() as session, session.begin():
            note = session.get(_Note, number)
            if note is None:
                raise KeyError(number)
            note.lifted, note.lifted_at = why.strip() or "no longer holds", _now()
            return _public(note)

    def all(self) -> list[FieldNote]:
        """Every note, the newest first."""
        with self._database.session() as session:
            rows = session.scalars(select(_Note).order_by(_Note.id.desc()))
            return [_public(row) for row in rows]


def _public(note: _Note) -> FieldNote:
    return FieldNote(**{field: getattr(note, field) for field in FieldNote.__struct_fields__})


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds")

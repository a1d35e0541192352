"""The logbook: the durable record of every request, reply, question and result of a machine.

One database, an SQLite file in the machine's state folder. Whoever opens it sees what the runner
wrote last; several may read while one writes.
"""

from collections.abc import Iterable, Iterator
from contextlib import contextmanager

import msgspec
from sqlalchemy import BigInteger, ForeignKey, select
from sqlalchemy.orm import DeclarativeBase, Mapped, Session, mapped_column

from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.store.database import Database
from brave_bridge.store.faults import DamagedDatabase
from brave_bridge.store.rows import EntryRow, ProcedureRow, QuestionRow, SampleRow, now


class _Base(DeclarativeBase):
    pass


class _Procedure(_Base):
    __tablename__ = "procedures"
    id: Mapped[str] = mapped_column(primary_key=True)
    kind: Mapped[str]
    title: Mapped[str]
    brief: Mapped[bytes]
    state: Mapped[str]
    began: Mapped[str]
    ended: Mapped[str] = mapped_column(default="")
    outcome: Mapped[bytes | None] = mapped_column(default=None)
    rest_asked: Mapped[bool] = mapped_column(default=False)
    unattended: Mapped[bool] = mapped_column(default=False)
    version: Mapped[str] = mapped_column(default="", server_default="")


class _Entry(_Base):
    __tablename__ = "entries"
    procedure: Mapped[str] = mapped_column(ForeignKey("procedures.id"), primary_key=True)
    seq: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    title: Mapped[str]
    request: Mapped[bytes]
    began: Mapped[str]
    ended: Mapped[str] = mapped_column(default="")
    reply: Mapped[bytes | None] = mapped_column(default=None)
    ok: Mapped[bool | None] = mapped_column(default=None)
    percent: Mapped[float] = mapped_column(default=0.0)
    note: Mapped[str] = mapped_column(default="")
    job: Mapped[str] = mapped_column(default="")


class _Question(_Base):
    __tablename__ = "questions"
    procedure: Mapped[str] = mapped_column(ForeignKey("procedures.id"), primary_key=True)
    key: Mapped[str] = mapped_column(primary_key=True)
    title: Mapped[str]
    detail: Mapped[str]
    choices: Mapped[str]
    default: Mapped[str]
    asked: Mapped[str]
    answer: Mapped[str] = mapped_column(default="")
    answered_by: Mapped[str] = mapped_column(default="")


class _Sample(_Base):
    __tablename__ = "samples"
    procedure: Mapped[str] = mapped_column(ForeignKey("procedures.id"), primary_key=True)
    seq: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[str] = mapped_column(primary_key=True)
    percent: Mapped[float]
    free_bytes: Mapped[int] = mapped_column(BigInteger)


class Logbook:
    """A machine's logbook.

    DatabaseError where it cannot be read or written, DamagedDatabase where it is damaged.
    """

    def __init__(self, address: str) -> None:
        self._database = Database(address, _Base)

    def close(self) -> None:
        """Let go of the file."""
        self._database.close()

    @property
    def change(self) -> bytes:
        """What is other after every write: asking costs next to nothing. OSError."""
        return self._database.change

    def must_be_sound(self) -> None:
        """DamagedDatabase where any part of the file, or a record in it, makes no sense."""
        self._database.must_be_sound()
        self.procedures()

    @contextmanager
    def _reading(self) -> Iterator[Session]:
        with self._database.session() as session:
            try:
                yield session
            except msgspec.DecodeError as error:
                why = f"it holds what is none of its own: {error}"
                raise DamagedDatabase(self._database.where, why) from error

    @contextmanager
    def _writing(self) -> Iterator[Session]:
        with self._database.session() as session, session.begin():
            yield session

    def begin(self, row: ProcedureRow) -> None:
        """Write that a procedure begins; does nothing where it is known."""
        with self._writing() as session:
            if session.get(_Procedure, row.id) is None:
                session.add(
                    _Procedure(
                        id=row.id,
                        kind=row.kind,
                        title=row.title,
                        brief=row.brief,
                        state=row.state,
                        began=row.began,
                        unattended=row.unattended,
                        version=row.version,
                    )
                )

    def set_state(self, procedure: str, state: str, outcome: Outcome | None = None) -> None:
        """Write how a procedure stands, and its outcome where it has ended."""
        with self._writing() as session:
            row = session.get_one(_Procedure, procedure)
            row.state = state
            if outcome is not None:
                row.outcome, row.ended = msgspec.json.encode(outcome), now()

    def take_defaults(self, procedure: str) -> None:
        """Let a procedure take the default of every question from now on."""
        with self._writing() as session:
            session.get_one(_Procedure, procedure).unattended = True

    def ask_to_rest(self, procedure: str, rest: bool) -> None:
        """Ask a procedure to rest at its next checkpoint, or take that back."""
        with self._writing() as session:
            session.get_one(_Procedure, procedure).rest_asked = rest

    def procedures(self) -> list[ProcedureRow]:
        """All procedures, the newest first."""
        with self._reading() as session:
            rows = session.scalars(select(_Procedure).order_by(_Procedure.began.desc()))
            return [_procedure_row(row) for row in rows]

    def procedure(self, identifier: str) -> ProcedureRow | None:
        """A procedure by its id."""
        with self._reading() as session:
            row = session.get(_Procedure, identifier)
            return _procedure_row(row) if row else None

    def intend(self, procedure: str, seq: int, kind: str, title: str, request: bytes) -> None:
        """Write a request before it is acted on; a repeated intent changes nothing."""
        with self._writing() as session:
            if session.get(_Entry, (procedure, seq)) is None:
                session.add(
                    _Entry(
                        procedure=procedure,
                        seq=seq,
                        kind=kind,
                        title=title,
                        request=request,
                        began=now(),
                    )
                )

    def report(self, procedure: str, seq: int, percent: float, note: str, job: str = "") -> None:
        """Write how far a request is."""
        with self._writing() as session:
            row = session.get_one(_Entry, (procedure, seq))
            row.percent, row.note = percent, note
            row.job = job or row.job

    def conclude(self, procedure: str, seq: int, reply: bytes, ok: bool, note: str) -> None:
        """Write the reply to a request."""
        with self._writing() as session:
            row = session.get_one(_Entry, (procedure, seq))
            row.reply, row.ok, row.ended, row.percent = reply, ok, now(), 100.0
            row.note = note or row.note

    def entries(self, procedure: str, since: int = 0) -> list[EntryRow]:
        """A procedure's requests from number ``since`` on, in order."""
        with self._reading() as session:
            found = session.scalars(
                select(_Entry)
                .where(_Entry.procedure == procedure, _Entry.seq >= since)
                .order_by(_Entry.seq)
            )
            return [_row(EntryRow, row) for row in found]

    def add_sample(self, sample: SampleRow) -> None:
        """Write how far a request is now; a second one of the same moment takes its place."""
        with self._writing() as session:
            session.merge(_Sample(**msgspec.structs.asdict(sample)))

    def samples(self, procedure: str) -> list[SampleRow]:
        """A procedure's samples, oldest first."""
        with self._reading() as session:
            query = select(_Sample).where(_Sample.procedure == procedure).order_by(_Sample.at)
            return [_row(SampleRow, row) for row in session.scalars(query)]

    def ask(self, question: QuestionRow) -> QuestionRow:
        """Put a question, or find it put already; the row as it stands."""
        with self._writing() as session:
            row = session.get(_Question, (question.procedure, question.key))
            if row is None:
                fields = msgspec.structs.asdict(question)
                fields["choices"] = "\n".join(question.choices)
                row = _Question(**fields)
                session.add(row)
            return _question_row(row)

    def answer(self, procedure: str, key: str, choice: str, by: str) -> None:
        """Answer a question; an answer that was given stays. ValueError for no such choice."""
        with self._writing() as session:
            row = session.get_one(_Question, (procedure, key))
            if choice not in row.choices.split("\n"):
                raise ValueError(f"{choice!r} is none of: {row.choices!r}")
            if not row.answer:
                row.answer, row.answered_by = choice, by

    def questions(self, procedure: str, *, open_only: bool = False) -> list[QuestionRow]:
        """A procedure's questions in the order in which they were asked."""
        with self._reading() as session:
            query = select(_Question).where(_Question.procedure == procedure)
            rows = [_question_row(row) for row in session.scalars(query.order_by(_Question.asked))]
        return [row for row in rows if not (open_only and row.answer)]


def _row(kind, row):
    return kind(**{field: getattr(row, field) for field in kind.__struct_fields__})


def _procedure_row(row: _Procedure) -> ProcedureRow:
    made = _row(ProcedureRow, row)
    return msgspec.structs.replace(made, outcome=_outcome(row) if row.outcome else None)


def _outcome(row: _Procedure) -> Outcome:
    """How it ended; where that cannot be read, its state and why."""
    try:
        return decode_json(row.outcome, Outcome)
    except msgspec.DecodeError as error:
        return Outcome(state=row.state, why=f"how it ended cannot be read: {error}")


def _question_row(row: _Question) -> QuestionRow:
    return msgspec.structs.replace(_row(QuestionRow, row), choices=tuple(row.choices.split("\n")))


def newest(rows: Iterable[ProcedureRow], kind: str) -> ProcedureRow | None:
    """The newest procedure of a kind."""
    return next((row for row in rows if row.kind == kind), None)

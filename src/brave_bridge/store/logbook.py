"""The logbook: the durable record of every request, reply, question and result of a machine.

One database, an SQLite file in the machine's state folder. Whoever opens it sees what the runner
wrote last; several may read while one writes.
"""

from collections.abc import Iterable, Sequence

import msgspec
from sqlalchemy import RowMapping, Select, Table, Update, select, update
from sqlalchemy.dialects.sqlite import insert

from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.store.database import RECORD_GONE, Database, values_of
from brave_bridge.store.faults import DamagedDatabase
from brave_bridge.store.rows import EntryRow, ProcedureRow, QuestionRow, SampleRow, now
from brave_bridge.store.tables import LOGBOOK, entries, procedures, questions, samples


class Logbook:
    """A machine's logbook.

    DatabaseError where it cannot be read or written, DamagedDatabase where it is damaged.
    """

    def __init__(self, address: str) -> None:
        self._database = Database(address, LOGBOOK)

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

    def _rows(self, query: Select) -> Sequence[RowMapping]:
        with self._database.reading() as connection:
            return connection.execute(query).mappings().all()

    def _write_once(self, table: Table, **values: object) -> None:
        """Write a record, where none of its key is there yet."""
        new = insert(table).values(values)
        self._database.write(new.on_conflict_do_nothing(index_elements=table.primary_key))

    def begin(self, row: ProcedureRow) -> None:
        """Write that a procedure begins; does nothing where it is known."""
        self._write_once(
            procedures,
            id=row.id,
            kind=row.kind,
            title=row.title,
            brief=row.brief,
            state=row.state,
            began=row.began,
            unattended=row.unattended,
            version=row.version,
        )

    def set_state(self, procedure: str, state: str, outcome: Outcome | None = None) -> None:
        """Write how a procedure stands, and its outcome where it has ended."""
        change = _procedure(procedure).values(state=state)
        if outcome is not None:
            change = change.values(outcome=msgspec.json.encode(outcome), ended=now())
        self._database.change_one(change)

    def take_defaults(self, procedure: str) -> None:
        """Let a procedure take the default of every question from now on."""
        self._database.change_one(_procedure(procedure).values(unattended=True))

    def ask_to_rest(self, procedure: str, rest: bool) -> None:
        """Ask a procedure to rest at its next checkpoint, or take that back."""
        self._database.change_one(_procedure(procedure).values(rest_asked=rest))

    def procedures(self) -> list[ProcedureRow]:
        """All procedures, the newest first."""
        query = select(procedures).order_by(procedures.c.began.desc())
        return [_procedure_row(row) for row in self._rows(query)]

    def procedure(self, identifier: str) -> ProcedureRow | None:
        """A procedure by its id."""
        found = self._rows(select(procedures).where(procedures.c.id == identifier))
        return _procedure_row(found[0]) if found else None

    def intend(self, procedure: str, seq: int, kind: str, title: str, request: bytes) -> None:
        """Write a request before it is acted on; a repeated intent changes nothing."""
        named = {"kind": kind, "title": title, "request": request, "began": now()}
        self._write_once(entries, procedure=procedure, seq=seq, **named)

    def report(self, procedure: str, seq: int, percent: float, note: str, job: str = "") -> None:
        """Write how far a request is."""
        change = _entry(procedure, seq).values(percent=percent, note=note)
        self._database.change_one(change.values(job=job) if job else change)

    def conclude(self, procedure: str, seq: int, reply: bytes, ok: bool, note: str) -> None:
        """Write the reply to a request."""
        change = _entry(procedure, seq).values(reply=reply, ok=ok, ended=now(), percent=100.0)
        self._database.change_one(change.values(note=note) if note else change)

    def entries(self, procedure: str, since: int = 0) -> list[EntryRow]:
        """A procedure's requests from number ``since`` on, in order."""
        query = select(entries).where(entries.c.procedure == procedure, entries.c.seq >= since)
        rows = self._rows(query.order_by(entries.c.seq))
        return [EntryRow(**values_of(entries, row)) for row in rows]

    def add_sample(self, sample: SampleRow) -> None:
        """Write how far a request is now; a second one of the same moment takes its place."""
        new = insert(samples).values(msgspec.structs.asdict(sample))
        told = {"percent": sample.percent, "free_bytes": sample.free_bytes}
        # SQLite before 3.35 must be told which key; one without it is no file of ours.
        update_it = new.on_conflict_do_update(index_elements=samples.primary_key, set_=told)
        self._database.write(update_it)

    def samples(self, procedure: str) -> list[SampleRow]:
        """A procedure's samples, oldest first."""
        query = select(samples).where(samples.c.procedure == procedure).order_by(samples.c.at)
        return [SampleRow(**values_of(samples, row)) for row in self._rows(query)]

    def ask(self, question: QuestionRow) -> QuestionRow:
        """Put a question, or find it put already; the row as it stands."""
        fields = msgspec.structs.asdict(question) | {"choices": "\n".join(question.choices)}
        self._write_once(questions, **fields)
        return self._question(question.procedure, question.key)

    def answer(self, procedure: str, key: str, choice: str, by: str) -> None:
        """Answer a question; an answer that was given stays. ValueError for no such choice."""
        choices = self._question(procedure, key).choices
        if choice not in choices:
            raise ValueError(f"{choice!r} is none of: {', '.join(choices)}")
        unanswered = update(questions).where(
            questions.c.procedure == procedure, questions.c.key == key, questions.c.answer == ""
        )
        self._database.write(unanswered.values(answer=choice, answered_by=by))

    def questions(self, procedure: str, *, open_only: bool = False) -> list[QuestionRow]:
        """A procedure's questions in the order in which they were asked."""
        query = select(questions).where(questions.c.procedure == procedure)
        found = [_question_row(row) for row in self._rows(query.order_by(questions.c.asked))]
        return [row for row in found if not (open_only and row.answer)]

    def _question(self, procedure: str, key: str) -> QuestionRow:
        for row in self.questions(procedure):
            if row.key == key:
                return row
        raise DamagedDatabase(self._database.where, RECORD_GONE)


def _procedure(identifier: str) -> Update:
    """The beginning of a change of a procedure."""
    return update(procedures).where(procedures.c.id == identifier)


def _entry(procedure: str, seq: int) -> Update:
    return update(entries).where(entries.c.procedure == procedure, entries.c.seq == seq)


def _procedure_row(row: RowMapping) -> ProcedureRow:
    values = values_of(procedures, row)
    values["outcome"] = _outcome(values["outcome"], values["state"])
    return ProcedureRow(**values)


def _outcome(content: bytes | None, state: str) -> Outcome | None:
    """How it ended; where that cannot be read, its state and why."""
    if not content:
        return None
    try:
        return decode_json(content, Outcome)
    except msgspec.DecodeError as error:
        return Outcome(state=state, why=f"how it ended cannot be read: {error}")


def _question_row(row: RowMapping) -> QuestionRow:
    values = values_of(questions, row)
    return QuestionRow(**values | {"choices": tuple(values["choices"].split("\n"))})


def newest(rows: Iterable[ProcedureRow], kind: str) -> ProcedureRow | None:
    """The newest procedure of a kind."""
    return next((row for row in rows if row.kind == kind), None)

"""The logbook: what was written stays, whoever reads it and whatever happens between."""

import sqlite3

import msgspec
import pytest

from brave_bridge.core.crossing.results import Outcome
from brave_bridge.store.faults import DatabaseError
from brave_bridge.store.logbook import Logbook
from brave_bridge.store.rows import LOGBOOK_FILE, ProcedureRow, QuestionRow, SampleRow, now


@pytest.fixture
def logbook(tmp_path):
    book = Logbook(f"sqlite:///{tmp_path}/{LOGBOOK_FILE}")
    book.begin(
        ProcedureRow("one", "crossing", "5.3 to 7", b"{}", "running", now(), "", None, False, False)
    )
    yield book
    book.close()


QUESTION = QuestionRow(
    "one", "sources-0", "Turn?", "diff", ("go on", "undo"), "go on", now(), "", ""
)


def test_a_repeated_intent_keeps_the_first(logbook):
    logbook.intend("one", 0, "Run", "Stage one", b"first")
    logbook.intend("one", 0, "Run", "Stage one", b"second")
    assert [entry.request for entry in logbook.entries("one")] == [b"first"]


def test_samples_come_back_in_order_and_one_of_the_same_moment_counts_once(logbook):
    later, earlier = "2026-11-29T10:00:02.000+00:00", "2026-11-29T10:00:01.000+00:00"
    for sample in (
        SampleRow("one", 1, later, 80.0, 5_000_000_000_000),
        SampleRow("one", 0, earlier, 10.0, 0),
        SampleRow("one", 1, later, 81.0, 7),
    ):
        logbook.add_sample(sample)
    found = [(sample.seq, sample.percent, sample.free_bytes) for sample in logbook.samples("one")]
    assert found == [(0, 10.0, 0), (1, 81.0, 7)]


def test_another_reader_sees_each_step_as_it_comes(logbook, tmp_path):
    reader = Logbook(f"sqlite:///{tmp_path}/{LOGBOOK_FILE}")
    logbook.intend("one", 0, "Run", "Stage one", b"{}")
    logbook.report("one", 0, 40.0, "Unpacking tide", "job-0")
    (entry,) = reader.entries("one")
    assert (entry.percent, entry.note, entry.job, entry.ended) == (
        40.0,
        "Unpacking tide",
        "job-0",
        "",
    )
    logbook.conclude("one", 0, b"{}", False, "exit code 100")
    (entry,) = reader.entries("one")
    assert (entry.ok, entry.note, entry.percent) == (False, "exit code 100", 100.0)
    reader.close()


def test_an_answer_that_was_given_stays(logbook):
    assert logbook.ask(QUESTION).answer == ""
    assert [q.key for q in logbook.questions("one", open_only=True)] == ["sources-0"]
    logbook.answer("one", "sources-0", "undo", "person")
    logbook.answer("one", "sources-0", "go on", "default")
    asked_again = logbook.ask(msgspec.structs.replace(QUESTION, title="Turn now?"))
    assert (asked_again.answer, asked_again.answered_by) == ("undo", "person")
    assert logbook.questions("one", open_only=True) == []
    with pytest.raises(ValueError, match="none of"):
        logbook.answer("one", "sources-0", "perhaps", "person")


def test_an_outcome_comes_back_as_it_was_written(logbook, tmp_path):
    outcome = Outcome(state="failed", at="stage two", why="exit code 100", ways_back=("a", "b"))
    logbook.set_state("one", "failed", outcome)
    logbook.close()
    row = Logbook(f"sqlite:///{tmp_path}/{LOGBOOK_FILE}").procedure("one")
    assert row.outcome == outcome and row.state == "failed" and row.ended


@pytest.mark.parametrize(
    "value", ["x'ff00'", "cast(x'ff41' as text)", "'text'", "7", "-1.5", "null"]
)
def test_whatever_stands_in_a_record_it_is_read_as_what_it_must_be(logbook, tmp_path, value):
    logbook.intend("one", 0, "Run", "Stage one", b"{}")
    logbook.add_sample(SampleRow("one", 0, now(), 10.0, 7))
    logbook.ask(QUESTION)
    with sqlite3.connect(tmp_path / LOGBOOK_FILE) as file:
        tables = ("procedures", "entries", "samples", "questions")
        for table in tables:
            # As somebody has it who made the file, and not as we would let it be.
            file.execute(f"CREATE TABLE odd AS SELECT * FROM {table}")
            file.execute(f"DROP TABLE {table}")
            file.execute(f"ALTER TABLE odd RENAME TO {table}")
            for _, column, *_ in file.execute(f"PRAGMA table_info({table})").fetchall():
                if column not in ("id", "procedure"):
                    file.execute(f'UPDATE {table} SET "{column}" = {value}')
    file.close()
    logbook.close()
    again = Logbook(f"sqlite:///{tmp_path}/{LOGBOOK_FILE}")
    found = [
        *again.procedures(),
        *again.entries("one", since=-(10**6)),
        *again.samples("one"),
        *again.questions("one"),
    ]
    again.close()
    assert len(found) >= 3, "an entry whose number is none is not among the others"
    for row in found:
        assert msgspec.convert(msgspec.to_builtins(row), type(row)) == row


def test_a_damaged_file_is_told_and_left_alone(tmp_path):
    (tmp_path / "logbook.sqlite").write_bytes(b"not a database at all" * 100)
    with pytest.raises(DatabaseError, match=r"logbook\.sqlite.*damaged: no database"):
        Logbook(f"sqlite:///{tmp_path}/{LOGBOOK_FILE}")
    assert (tmp_path / "logbook.sqlite").read_bytes().startswith(b"not a database")

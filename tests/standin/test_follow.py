"""Watching from the command line: nothing is missed, and a question is put until it is answered."""

import io

import pytest

from brave_bridge.cli import follow as following
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.runner.briefs import SnapshotBrief
from brave_bridge.store.rows import QuestionRow
from tests.support.runs import begin


@pytest.fixture
def watched(stand_in, monkeypatch):
    desk = stand_in("petrel")
    begin(desk, SnapshotBrief("trial"))
    monkeypatch.setattr(desk, "runner_is_there", lambda: True)
    monkeypatch.setattr(following, "_POLL_SECONDS", 0.01)
    return desk


def test_a_question_that_was_answered_otherwise_is_put_again(watched, monkeypatch, capsys):
    logbook = watched.logbook()
    logbook.ask(
        QuestionRow(
            "trial", "sources-0", "Go on?", "the diff", ("go on", "undo"), "go on", "", "", ""
        )
    )
    monkeypatch.setattr("sys.stdin", io.StringIO("perhaps\nundo\n"))
    answer = logbook.answer

    def answered(*words):
        answer(*words)
        logbook.set_state("trial", "stopped", Outcome(state="stopped"))

    monkeypatch.setattr(logbook, "answer", answered)
    row = following.follow(watched, "trial", lambda line: None, ask=True)
    assert row.state == "stopped"
    assert logbook.questions("trial")[0].answer == "undo"
    assert capsys.readouterr().err.count("Go on?") == 2


def test_a_long_request_is_told_on_its_way_and_what_was_told_before_is_not_again(
    watched, monkeypatch
):
    monkeypatch.setattr(following, "_LONG_SECONDS", 0.0)
    monkeypatch.setattr(following, "_AGAIN_SECONDS", 0.0)
    logbook, said = watched.logbook(), []
    logbook.intend("trial", 0, "Checkpoint", "Checkpoint: ready", b"{}")
    logbook.conclude("trial", 0, b"{}", True, "")
    telling = following._Telling(logbook, "trial", said.append, 1)
    assert said == ["1 step before this: brave-bridge logbook trial"]
    logbook.intend("trial", 1, "Run", "Stage one", b"{}")
    telling.tell_news()
    logbook.report("trial", 1, 12.0, "unpacking quay-libc", "trial-1")
    telling.tell_news()
    logbook.report("trial", 1, 60.0, "setting quay-ssh up", "trial-1")
    telling.tell_news()
    telling.tell_news()
    assert [line[9:] for line in said[1:]] == [
        "… Stage one  12 %  unpacking quay-libc",
        "… Stage one  60 %  setting quay-ssh up",
    ]


def test_every_write_is_a_change_however_close_the_next_one(watched):
    logbook = watched.logbook()
    seen = [logbook.change]
    for _ in range(200):
        logbook.ask_to_rest("trial", len(seen) % 2 == 1)
        seen.append(logbook.change)
    assert len(set(seen)) == 201


def test_a_logbook_that_is_moved_meanwhile_is_waited_for(watched, monkeypatch):
    logbook = watched.logbook()
    real, gone = type(logbook).change, iter((True, True, False, True))

    def change(self):
        if next(gone, False):
            raise FileNotFoundError("logbook.sqlite")
        return real.fget(self)

    monkeypatch.setattr(type(logbook), "change", property(change))
    logbook.set_state("trial", "done", Outcome(state="done"))
    assert following.follow(watched, "trial", lambda line: None, ask=False).state == "done"

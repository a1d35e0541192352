"""Watching a procedure from the command line: each request as it begins, questions asked."""

import sys
import time
from collections.abc import Callable
from typing import TYPE_CHECKING

from brave_bridge.cli.texts import entry_text, moving_text
from brave_bridge.core.formats.text import counted, plain
from brave_bridge.store.rows import EntryRow, ProcedureRow
from brave_bridge.workbench.desk import Desk

if TYPE_CHECKING:
    from brave_bridge.store.logbook import Logbook

_POLL_SECONDS = 0.02
_MOVED_SECONDS = 10.0
"""How long the logbook may be out of sight, as while a past system is kept."""
_LONG_SECONDS, _AGAIN_SECONDS = 3.0, 10.0
"""After how long a request is told of that has not ended, and how often it is told again."""


class RunnerGone(Exception):
    """The runner ended without an outcome."""


Tend = Callable[[Desk], None]
"""Is called again and again while a procedure is watched, for what it may wait for."""


def nothing_to_tend(desk: Desk) -> None:
    """A procedure that waits for nothing but answers."""


def follow(
    desk: Desk,
    procedure: str,
    say: Callable[[str], None],
    *,
    ask: bool,
    tend: Tend = nothing_to_tend,
    since: int = 0,
) -> ProcedureRow:
    """Watch until the procedure ends or rests; its row. RunnerGone where the runner died.

    ``since`` is the number of the first request that is told.
    """
    logbook = desk.logbook()
    telling = _Telling(logbook, procedure, say, since)
    silent, seen, waits = 0, b"", False
    while True:
        tend(desk)
        before, seen = seen, _change_of(logbook)
        if not seen and silent * _POLL_SECONDS <= _MOVED_SECONDS:
            silent += 1
            time.sleep(_POLL_SECONDS)
            continue
        if before == seen and not (waits or silent) and desk.runner_is_there():
            time.sleep(_POLL_SECONDS)
            continue
        row = logbook.procedure(procedure)
        telling.tell_news()
        waits = ask and _ask_open(logbook, procedure)
        if row.state not in ("running",):
            return row
        silent = 0 if desk.runner_is_there() else silent + 1
        if silent * _POLL_SECONDS > 15:
            raise RunnerGone(procedure)
        time.sleep(_POLL_SECONDS)


def _change_of(logbook: "Logbook") -> bytes:
    """The logbook's change counter; empty while its folder is on the way to another place."""
    try:
        return logbook.change
    except FileNotFoundError:
        return b""


class _Telling:
    """Tells a procedure's requests in lines: each at its end, a long one on its way as well."""

    def __init__(
        self, logbook: "Logbook", procedure: str, say: Callable[[str], None], since: int
    ) -> None:
        self.logbook = logbook
        self.procedure = procedure
        self.say = say
        self.next = since
        self.moving = -1
        self.words, self.told_at = "", 0.0
        if since:
            say(f"{counted(since, 'step')} before this: brave-bridge logbook {procedure}")

    def tell_news(self) -> None:
        """Tell what has happened since it was told last."""
        for entry in self.logbook.entries(self.procedure, self.next):
            if entry.ended:
                self.say(entry_text(entry))
                self.next = entry.seq + 1
            else:
                self._tell_moving(entry)
                break

    def _tell_moving(self, entry: EntryRow) -> None:
        """How far a long request is, now and then."""
        now = time.monotonic()
        if entry.seq != self.moving:
            self.moving, self.words, self.told_at = entry.seq, "", now
            return
        words = moving_text(entry)
        wait = _AGAIN_SECONDS if self.words else _LONG_SECONDS
        if words != self.words and now - self.told_at >= wait:
            self.words, self.told_at = words, now
            self.say(words)


def _ask_open(logbook: "Logbook", procedure: str) -> bool:
    """Ask what is open; whether anything of it still waits, as it was answered otherwise."""
    waits = False
    for question in logbook.questions(procedure, open_only=True):
        print(plain(question.detail), file=sys.stderr)
        choices = " / ".join(question.choices)
        print(
            plain(f"{question.title} [{choices}, empty for {question.default}] "),
            end="",
            file=sys.stderr,
            flush=True,
        )
        given = sys.stdin.readline().strip()
        chosen = given or question.default
        if chosen in question.choices:
            logbook.answer(procedure, question.key, chosen, "person")
        else:
            waits = True
    return waits

"""Watching a procedure from the command line: each request as it begins, questions asked."""

import sys
import time
from collections.abc import Callable
from typing import TYPE_CHECKING

from brave_bridge.cli.texts import entry_text
from brave_bridge.core.formats.text import plain
from brave_bridge.store.rows import ProcedureRow
from brave_bridge.workbench.desk import Desk

if TYPE_CHECKING:
    from brave_bridge.store.logbook import Logbook

_POLL_SECONDS = 0.02


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
) -> ProcedureRow:
    """Watch until the procedure ends or rests; its row. RunnerGone where the runner died."""
    logbook = desk.logbook()
    shown: dict[int, bool] = {}
    silent, seen, waits = 0, b"", False
    while True:
        tend(desk)
        before, seen = seen, logbook.change
        if before == seen and not (waits or silent) and desk.runner_is_there():
            time.sleep(_POLL_SECONDS)
            continue
        row = logbook.procedure(procedure)
        _tell_news(logbook, procedure, shown, say)
        waits = ask and _ask_open(logbook, procedure)
        if row.state not in ("running",):
            return row
        silent = 0 if desk.runner_is_there() else silent + 1
        if silent * _POLL_SECONDS > 15:
            raise RunnerGone(procedure)
        time.sleep(_POLL_SECONDS)


def _tell_news(
    logbook: "Logbook", procedure: str, shown: dict[int, bool], say: Callable[[str], None]
) -> None:
    since = next((seq for seq in sorted(shown) if not shown[seq]), len(shown))
    for entry in logbook.entries(procedure, since):
        ended = bool(entry.ended)
        if shown.get(entry.seq) is None or ended != shown[entry.seq]:
            if ended:
                say(entry_text(entry))
            shown[entry.seq] = ended


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

"""Carrying out a script durably: the logbook is the record that it is replayed from.

The intent is in the logbook before a request is acted on, the reply after. When the
process dies, the next one sends the recorded replies into a fresh script and so stands at
the very request that was under way. What the script asks for is held against what was
recorded: a script that asks for something else is another version's, and is not gone on with.
"""

import time
from collections.abc import Callable
from typing import Any

import msgspec

from brave_bridge.core.crossing.replies import (
    Answered,
    Failed,
    Ran,
    Reply,
)
from brave_bridge.core.crossing.requests import (
    Ask,
    Checkpoint,
    Request,
    Script,
    kinds,
    reply_of,
)
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.runner.briefs import SCRIPT_VERSION, decode_brief, script_of
from brave_bridge.runner.performer import Performer
from brave_bridge.runner.sampling import Pace, Sampler
from brave_bridge.store.logbook import Logbook
from brave_bridge.store.rows import EntryRow, ProcedureRow, QuestionRow, now

_POLL_SECONDS = 0.2

Probe = Callable[[str, int], None]
"""Called as (``before`` | ``after``, request number) around every deed."""


class BegunByAnotherVersion(Exception):
    """What was recorded is not what this version's script asks for; the message says where."""


class DurableRun:
    """One procedure carried out in this process.

    ``rest`` ends the process at a checkpoint at which the person asked to rest: the
    procedure stays open, and the next process goes on from there.
    """

    def __init__(
        self,
        logbook: Logbook,
        performer: Performer,
        identifier: str,
        rest: Callable[[], None],
        probe: Probe | None = None,
    ) -> None:
        self.logbook = logbook
        self.performer = performer
        self.identifier = identifier
        self.rest = rest
        self.sampler = Sampler(logbook, performer.machine, identifier)
        self.probe = probe or (lambda moment, seq: None)

    def carry_out(self) -> Outcome:
        """Begin, or go on where an earlier process stood, until the outcome.

        BegunByAnotherVersion where the procedure cannot be gone on with.
        """
        script = _fresh_script(self._row())
        recorded = {entry.seq: entry for entry in self.logbook.entries(self.identifier)}
        try:
            request, seq = next(script), 0
            while True:
                entry = recorded.get(seq)
                if entry is not None:
                    _must_be_recorded(request, entry)
                reply = _recorded_reply(request, entry) if entry and entry.ended else None
                request = script.send(reply or self._settle(seq, request))
                seq += 1
        except StopIteration as end:
            return end.value

    def _row(self) -> ProcedureRow:
        row = self.logbook.procedure(self.identifier)
        if row is None:
            raise LookupError(f"the logbook has no procedure {self.identifier}")
        return row

    def _settle(self, seq: int, request: Request[Any]) -> Reply:
        """Record the intent, do the deed, record the reply."""
        kind = type(request).__name__
        self.logbook.intend(self.identifier, seq, kind, request.title, msgspec.json.encode(request))
        self.probe("before", seq)
        if isinstance(request, Checkpoint):
            self._rest_if_asked()
        elif self.performer.waits_for(request):
            self.logbook.set_state(self.identifier, "resting")
            self.rest()
        reply = self._answer(request) if isinstance(request, Ask) else self._perform(seq, request)
        self.probe("after", seq)
        content = msgspec.json.encode(reply)
        self.logbook.conclude(
            self.identifier, seq, content, request.went_well(reply), _note(request, reply)
        )
        return reply

    def _perform(self, seq: int, request: Request[Any]) -> Reply:
        pace = Pace()

        def report(percent: float, note: str, job: str) -> None:
            with pace.when_due() as is_due:
                if is_due:
                    self.logbook.report(self.identifier, seq, percent, note, job)
                    self.sampler.offer(seq, percent)

        self.sampler.offer(seq, 0.0)
        reply = self.performer.perform(seq, request, report)
        self.sampler.offer(seq, 100.0)
        return reply

    def _rest_if_asked(self) -> None:
        if self._row().rest_asked:
            self.logbook.set_state(self.identifier, "resting")
            self.rest()

    def _answer(self, request: Ask) -> Answered:
        question = self.logbook.ask(
            QuestionRow(
                procedure=self.identifier,
                key=request.key,
                title=request.title,
                detail=request.detail,
                choices=request.choices,
                default=request.default,
                asked=now(),
                answer="",
                answered_by="",
            )
        )
        while not question.answer:
            if self._row().unattended:
                self.logbook.answer(self.identifier, request.key, request.default, "default")
            else:
                time.sleep(_POLL_SECONDS)
            question = self.logbook.ask(question)
        return Answered(question.answer, question.answered_by)


def _fresh_script(row: ProcedureRow) -> Script[Outcome]:
    if row.version not in ("", SCRIPT_VERSION):
        raise BegunByAnotherVersion(f"its script is {row.version}, this one is {SCRIPT_VERSION}")
    try:
        return script_of(decode_brief(row.brief))
    except msgspec.DecodeError as error:
        raise BegunByAnotherVersion(f"its brief cannot be read: {error}") from error


def _must_be_recorded(request: Request[Any], entry: EntryRow) -> None:
    try:
        known = decode_json(entry.request, kinds()[entry.kind])
    except (KeyError, msgspec.DecodeError) as error:
        where = f"request {entry.seq} cannot be read: {error}"
        raise BegunByAnotherVersion(where) from error
    if known != request:
        raise BegunByAnotherVersion(
            f"request {entry.seq} was “{known.title}”, this version asks for “{request.title}”"
        )


def _recorded_reply(request: Request[Any], entry: EntryRow) -> Reply:
    try:
        return decode_json(entry.reply or b"", reply_of(type(request)) | Failed)
    except msgspec.DecodeError as error:
        where = f"the reply to request {entry.seq} cannot be read: {error}"
        raise BegunByAnotherVersion(where) from error


def _note(request: Request[Any], reply: Reply) -> str:
    """What the logbook says of a reply in a few words."""
    failed = isinstance(reply, Ran) and reply.exit_code != 0
    return f"{reply.summary} (expected)" if failed and request.went_well(reply) else reply.summary

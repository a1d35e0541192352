"""Carrying out a script durably: every request is a recorded step.

The intent is in the logbook before a request is acted on, the reply after. When the
process dies, the next one replays the recorded replies into a fresh script and so stands
at the very request that was under way.
"""

import time
from collections.abc import Callable
from pathlib import Path

import msgspec
from dbos import DBOS, DBOSConfig, SetWorkflowID

from brave_bridge.core.crossing.requests import (
    Answered,
    AnyReply,
    AnyRequest,
    Ask,
    Awaited,
    Checkpoint,
    Compared,
    FactsRead,
    Failed,
    FilesListed,
    FilesRead,
    Ran,
    Reply,
    Request,
    Restarted,
    Restored,
    Run,
    SnapshotTaken,
)
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.formats.text import byte_size, counted, one_line
from brave_bridge.runner.briefs import SCRIPT_VERSION, decode_brief, script_of
from brave_bridge.runner.performer import Performer
from brave_bridge.store.logbook import Logbook, QuestionRow, now

STEPS_FILE = "runner.sqlite"
_POLL_SECONDS = 0.2

Probe = Callable[[str, int], None]
"""Called as (``before`` | ``after``, request number) around every deed."""


class DurableRun:
    """One procedure carried out in this process. Only one may exist in a process.

    ``rest`` ends the process at a checkpoint at which the person asked to rest: the
    procedure stays open, and the next process goes on from there.
    """

    def __init__(
        self, logbook: Logbook, performer: Performer, identifier: str,
        rest: Callable[[], None], probe: Probe | None = None,
    ) -> None:  # fmt: skip
        self.logbook = logbook
        self.performer = performer
        self.identifier = identifier
        self.rest = rest
        self.probe = probe or (lambda moment, seq: None)

    def carry_out(self, folder: Path) -> Outcome:
        """Begin, or go on where an earlier process stood, until the outcome."""
        config = DBOSConfig(
            name="brave-bridge",
            system_database_url=f"sqlite:///{folder / STEPS_FILE}",
            application_version=SCRIPT_VERSION,
            log_level="ERROR",
            run_admin_server=False,
            enable_otlp=False,
        )
        DBOS(config=config)

        @DBOS.step(name="request")
        def take_step(seq: int, content: str) -> str:
            request = msgspec.json.decode(content, type=AnyRequest)
            return msgspec.json.encode(self._settle(seq, request)).decode()

        @DBOS.workflow(name="procedure")
        def procedure(identifier: str) -> str:
            if identifier != self.identifier:
                # One that was given up: launching would otherwise take it up again.
                return msgspec.json.encode(Outcome(state="stopped", at="given up")).decode()
            row = self.logbook.procedure(identifier)
            script = script_of(decode_brief(row.brief))
            outcome = _drive(script, take_step)
            return msgspec.json.encode(outcome).decode()

        DBOS.launch()
        try:
            with SetWorkflowID(self.identifier):
                handle = DBOS.start_workflow(procedure, self.identifier)
            return msgspec.json.decode(handle.get_result(), type=Outcome)
        finally:
            DBOS.destroy(workflow_completion_timeout_sec=0)

    def _settle(self, seq: int, request: Request) -> Reply:
        """Record the intent, do the deed, record the reply."""
        kind = type(request).__name__
        self.logbook.intend(self.identifier, seq, kind, request.title, msgspec.json.encode(request))
        self.probe("before", seq)
        if isinstance(request, Checkpoint):
            self._rest_if_asked()
        reply = self._answer(request) if isinstance(request, Ask) else self._perform(seq, request)
        self.probe("after", seq)
        content = msgspec.json.encode(reply)
        self.logbook.conclude(
            self.identifier, seq, content, _is_good(request, reply), _note(request, reply)
        )
        return reply

    def _perform(self, seq: int, request: Request) -> Reply:
        def report(percent: float, note: str, job: str) -> None:
            self.logbook.report(self.identifier, seq, percent, note, job)

        return self.performer.perform(seq, request, report)

    def _rest_if_asked(self) -> None:
        row = self.logbook.procedure(self.identifier)
        if row.rest_asked:
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
            if self.logbook.procedure(self.identifier).unattended:
                self.logbook.answer(self.identifier, request.key, request.default, "default")
            else:
                time.sleep(_POLL_SECONDS)
            question = self.logbook.ask(question)
        return Answered(question.answer, question.answered_by)


def _drive(script, take_step: Callable[[int, str], str]) -> Outcome:
    seq = 0
    try:
        request = next(script)
        while True:
            content = msgspec.json.encode(request).decode()
            reply = msgspec.json.decode(take_step(seq, content), type=AnyReply)
            seq += 1
            request = script.send(reply)
    except StopIteration as end:
        return end.value


def _is_good(request: Request, reply: Reply) -> bool:
    if isinstance(request, Run) and isinstance(reply, Ran):
        return not reply.lost and reply.exit_code in request.good_codes
    return not isinstance(reply, Failed)


def _note(request: Request, reply: Reply) -> str:
    if isinstance(reply, Failed):
        return one_line(f"{reply.attempted}: {reply.seen}")
    if isinstance(reply, Ran):
        if reply.lost:
            return "interrupted"
        meant = " (expected)" if reply.exit_code and _is_good(request, reply) else ""
        return f"exit code {reply.exit_code}{meant}"
    if isinstance(reply, SnapshotTaken):
        return f"{reply.id}: {reply.entries} paths, {byte_size(reply.bytes_copied)} copied"
    if isinstance(reply, FilesRead):
        return counted(len(reply.files), "file")
    if isinstance(reply, FilesListed):
        return counted(len(reply.paths), "file")
    if isinstance(reply, FactsRead):
        return counted(len(reply.facts.installed), "package")
    if isinstance(reply, Answered):
        return f"{reply.choice} ({reply.by})"
    if isinstance(reply, Restored):
        return f"{reply.put_back} paths put back, {reply.removed} removed"
    if isinstance(reply, Restarted):
        return f"up again after {reply.seconds:.0f} s"
    if isinstance(reply, Awaited):
        return reply.answer or "gone"
    if isinstance(reply, Compared):
        return "equal" if not reply.count else f"{reply.count} paths differ"
    return one_line(getattr(reply, "detail", ""))

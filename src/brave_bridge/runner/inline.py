"""Driving a script at once, in this process, without a record: for what only reads."""

from collections.abc import Callable
from typing import Protocol, TypeVar

from brave_bridge.core.crossing.replies import Reply
from brave_bridge.core.crossing.requests import Request, Script
from brave_bridge.runner.performer import Report

Result = TypeVar("Result")


class Performs(Protocol):
    """Whoever can perform a request."""

    def perform(self, seq: int, request: Request, report: Report) -> Reply:
        """See Performer."""


def drive(
    script: Script[Result], performer: Performs, tell: Callable[[str], None] | None = None
) -> Result:
    """The script's result. ``tell`` is called with the title of each request as it begins."""
    seq = 0
    try:
        request = next(script)
        while True:
            if tell:
                tell(request.title)
            reply = performer.perform(seq, request, lambda percent, note, job: None)
            seq += 1
            request = script.send(reply)
    except StopIteration as end:
        return end.value

"""Measuring link and disk while a plan is made, so that the first estimate rests on something."""

from brave_bridge.core.crossing.replies import Ran, Reply, SuitesFetched
from brave_bridge.core.crossing.requests import Request
from brave_bridge.core.estimate import Speeds, measured
from brave_bridge.core.formats.apt_output import fetched
from brave_bridge.machines.port import State
from brave_bridge.runner.performer import Performer, Report

_LEAST_FETCH = 200_000
"""Bytes below which a fetch tells more of the waiting than of the link."""


class MeasuringPerformer:
    """Performs as another does, and remembers what its fetches tell of the link."""

    def __init__(self, performer: Performer) -> None:
        self._performer = performer
        self._fetches: list[tuple[float, float]] = []

    def perform(self, seq: int, request: Request, report: Report) -> Reply:
        """Perform a request; see Performer."""
        reply = self._performer.perform(seq, request, report)
        told = fetched(reply.output) if isinstance(reply, Ran) else None
        if isinstance(reply, SuitesFetched):
            told = reply.bytes_received, reply.seconds
        if told:
            self._fetches.append(told)
        return reply

    @property
    def link(self) -> float:
        """Bytes a second of the link; 0 where too little was fetched to tell."""
        return measured(self._fetches, least=_LEAST_FETCH)


def speeds(performer: MeasuringPerformer, state: State) -> Speeds:
    """What the plan's fetches and a short probe of the disk tell."""
    return Speeds(link=performer.link, disk=state.write_speed())

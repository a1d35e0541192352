"""The script by which sources that wait are taken up again where they have the release by now."""

from collections.abc import Iterable, Mapping

import msgspec

from brave_bridge.core.crossing.family import CrossingFamily
from brave_bridge.core.crossing.replies import FactsRead, Failed, Ran, Reply, SuitesFetched
from brave_bridge.core.crossing.requests import (
    FetchSuites,
    ReadFacts,
    Script,
    SuiteWanted,
    WriteFiles,
)
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import (
    ended_well,
    texts_of,
    titled,
    warned,
    what_was_seen,
    why_it_failed,
)
from brave_bridge.core.formats.apt_sources import SourceFile
from brave_bridge.core.formats.paused_sources import paused_in, taken_up

_MOST_FAULTS = 6


class Turning(msgspec.Struct, frozen=True):
    """What a source's suites may be called now: the old name of each with the new one.

    ``asked`` are the suites whose descriptions must be there.
    """

    suites: tuple[tuple[str, str], ...]
    asked: tuple[SuiteWanted, ...]

    def is_there(self, there: set[tuple[str, str]]) -> bool:
        """Whether all of it is among what was found (addresses and suites)."""
        return bool(self.asked) and all((s.uri, s.suite) in there for s in self.asked)


class WaitingSource(msgspec.Struct, frozen=True):
    """A source that waits at a line of a file, and how it may be turned, the likeliest first."""

    path: str
    line: int
    uri: str
    turnings: tuple[Turning, ...]


def take_up_sources(
    family: CrossingFamily, waiting: tuple[WaitingSource, ...], folder: str
) -> Script[Outcome]:
    """Ask each source whether it has the release; write and fetch those that do.

    Descriptions are fetched into ``folder``, apart from the machine's own, and their
    signatures checked. Where the package manager cannot fetch what was written, the sources
    are put back.
    """
    reply = yield from ReadFacts(title="Read the sources")
    if not isinstance(reply, FactsRead):
        return _stopped("sources", reply)
    before = {file.path: file for file in reply.facts.source_files}
    asked = [suite for source in waiting for way in source.turnings for suite in way.asked]
    reply = yield from FetchSuites(title="Ask what they have", folder=folder, suites=tuple(asked))
    if not isinstance(reply, SuitesFetched):
        return _stopped("asking", reply)
    there = {(found.uri, found.suite) for found in reply.suites if not found.fault}
    faults = {found.uri: found.fault for found in reply.suites if not found.missing}
    taken: dict[WaitingSource, Turning] = {}
    left = []
    for source in waiting:
        way = next((way for way in source.turnings if way.is_there(there)), None)
        if not _waits(source, before):
            left.append(f"{source.path}:{source.line} was edited meanwhile")
        elif way is None:
            why = faults.get(source.uri) or "it does not have the release yet"
            left.append(f"{source.uri}: {why}")
        else:
            taken[source] = way
    if not taken:
        return Outcome(state="done", left=tuple(left))
    return (yield from _take_up(family, taken, before, tuple(left)))


def _waits(source: WaitingSource, files: Mapping[str, SourceFile]) -> bool:
    """Whether a source waits still where it was seen."""
    file = files.get(source.path)
    return file is not None and any(one.entry.line == source.line for one in paused_in(file))


def _written(
    taken: Mapping[WaitingSource, Turning], before: Mapping[str, SourceFile]
) -> dict[str, SourceFile]:
    after: dict[str, SourceFile] = {}
    for source, way in taken.items():
        file = after.get(source.path, before[source.path])
        after[source.path] = taken_up(file, source.line, dict(way.suites))
    return after


def _take_up(
    family: CrossingFamily,
    taken: Mapping[WaitingSource, Turning],
    before: Mapping[str, SourceFile],
    left: tuple[str, ...],
) -> Script[Outcome]:
    """Write the files and fetch; put them back where what was taken up cannot be fetched."""
    after = _written(taken, before)
    reply = yield from WriteFiles(title="Take the sources up again", files=texts_of(after.values()))
    if not isinstance(reply, Failed):
        reply = yield from titled(family.refresh(), "Fetch what the sources have")
    faults = () if ended_well(reply) else tuple(_faults(family, reply))
    if not isinstance(reply, Ran) or any(_blames(fault, taken) for fault in faults):
        back = texts_of(before[path] for path in after)
        told = yield from warned(
            WriteFiles(title="Put the sources back as they were", files=back),
            "the sources could not be put back",
        )
        again = yield from titled(family.refresh(), "Fetch what the sources had")
        if not ended_well(again):
            told += (f"what the sources had could not be fetched: {why_it_failed(family, again)}",)
        stopped = _stopped("fetching", reply, why_it_failed(family, reply))
        return msgspec.structs.replace(stopped, warnings=told)
    return Outcome(
        state="done",
        taken_up=tuple(
            f"{source.uri} {' '.join(new for _, new in way.suites)}"
            for source, way in taken.items()
        ),
        left=left,
        failed_sources=faults[:_MOST_FAULTS],
    )


def _faults(family: CrossingFamily, reply: Reply) -> list[str]:
    """What went wrong while fetching; where nothing is said about which source, all did."""
    said = family.faults(reply.output) if isinstance(reply, Ran) and not reply.lost else []
    return [fault for fault in said if "://" in fault] or [why_it_failed(family, reply)]


def _blames(fault: str, taken: Iterable[WaitingSource]) -> bool:
    """Whether a fault may be that of a source that was taken up."""
    return "://" not in fault or any(source.uri.rstrip("/") in fault for source in taken)


def _stopped(at: str, reply: Reply, why: str = "") -> Outcome:
    return Outcome(
        state="stopped",
        at=at,
        why=why or what_was_seen(reply),
        safe="the sources are as they were",
        next_step="mend the cause, then take them up again",
    )

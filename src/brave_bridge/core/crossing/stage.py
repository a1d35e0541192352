"""One stage of a change: run it; repair what an interruption left half done; try once more."""

from collections.abc import Iterable

import msgspec

from brave_bridge.core.crossing.family import CrossingFamily
from brave_bridge.core.crossing.requests import (
    FactsRead,
    Failed,
    FileText,
    Ran,
    ReadFacts,
    Reply,
    Run,
    Script,
)
from brave_bridge.core.formats.apt_sources import SourceFile


def titled(run: Run, title: str) -> Run:
    """The command under another title."""
    return msgspec.structs.replace(run, title=title)


def texts_of(files: Iterable[SourceFile]) -> tuple[FileText, ...]:
    """Source files as what is to be written."""
    return tuple(FileText(file.path, file.text) for file in files)


def what_was_seen(reply: Reply) -> str:
    """Why a request could not be carried out; empty where it could."""
    return f"{reply.attempted}: {reply.seen}" if isinstance(reply, Failed) else ""


def why_it_failed(family: CrossingFamily, reply: Reply) -> str:
    """The reason that a command's reply gives, in the package manager's own words."""
    if not isinstance(reply, Ran):
        return what_was_seen(reply)
    if reply.lost:
        return "the command was interrupted"
    faults = family.faults(reply.output)
    return "; ".join(faults[-4:]) or f"exit code {reply.exit_code}"


def ended_well(reply: Reply) -> bool:
    """Whether a command ended by itself and with 0."""
    return isinstance(reply, Ran) and reply.ok


def run_stage(family: CrossingFamily, name: str, title: str, command: Run) -> Script[str]:
    """Carry out a stage; why it failed also at the second try, or an empty text."""
    reply = yield titled(command, f"{name.capitalize()}: {title}")
    if ended_well(reply):
        return ""
    interrupted = isinstance(reply, Ran) and reply.lost
    first_why = why_it_failed(family, reply)
    yield from repair(family)
    reply = yield titled(command, f"{name.capitalize()}, second try")
    if ended_well(reply):
        return ""
    # The second try often fails only on what the first left behind.
    return why_it_failed(family, reply) if interrupted else first_why


def repair(family: CrossingFamily) -> Script[None]:
    """Finish half-done work; what was cut off while it was unpacked is installed again."""
    for step in family.repair():
        yield step
    reply = yield ReadFacts(title="Look for packages that were cut off while they were unpacked")
    cut_off = (
        [package.name for package in reply.facts.installed if package.fault != "ok"]
        if isinstance(reply, FactsRead)
        else []
    )
    if cut_off:
        yield family.reinstall(cut_off)
        for step in family.repair():
            yield step

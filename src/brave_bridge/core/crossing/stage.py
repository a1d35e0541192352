"""One stage of a change: run it; repair what an interruption left half done; try once more."""

from collections.abc import Iterable
from typing import Any

import msgspec

from brave_bridge.core.crossing.family import CrossingFamily
from brave_bridge.core.crossing.replies import (
    FactsRead,
    Failed,
    FilesRead,
    FileText,
    Ran,
    Reply,
)
from brave_bridge.core.crossing.requests import (
    ReadFacts,
    ReadFiles,
    Request,
    Run,
    Script,
    UnguardServices,
)
from brave_bridge.core.formats.apt_sources import SourceFile
from brave_bridge.core.survey.boot_fitness import room_for_a_kernel

MOST_CUT_OFF = 9
"""How often something that vanishes is begun again: a power supply that fails goes on failing."""

_MOST_FAULTS, _MOST_NAMES = 4, 6


def titled(run: Run, title: str) -> Run:
    """The command under another title."""
    return msgspec.structs.replace(run, title=title)


def texts_of(files: Iterable[SourceFile]) -> tuple[FileText, ...]:
    """Source files as what is to be written."""
    return tuple(FileText(file.path, file.text) for file in files)


def what_was_seen(reply: Reply) -> str:
    """Why a request could not be carried out; empty where it could."""
    return f"{reply.attempted}: {reply.seen}" if isinstance(reply, Failed) else ""


def warned(request: Request[Any], words: str) -> Script[tuple[str, ...]]:
    """Ask for what the work can go on without; where it fails, that with why, for the person."""
    reply = yield from request
    return (f"{words}: {what_was_seen(reply)}",) if isinstance(reply, Failed) else ()


def unguarded() -> Script[tuple[str, ...]]:
    """Take the guard around services away; what a person has to look at."""
    return (
        yield from warned(
            UnguardServices(title="Let package scripts start services again"),
            "package scripts still start no services",
        )
    )


def why_it_failed(family: CrossingFamily, reply: Reply) -> str:
    """The reason that a command's reply gives, in the package manager's own words."""
    if not isinstance(reply, Ran):
        return what_was_seen(reply)
    if reply.lost:
        return "the command was interrupted"
    faults = family.faults(reply.output)
    said = [line.strip() for line in reply.output.splitlines() if line.strip()]
    return "; ".join(faults[:_MOST_FAULTS] or said[-2:]) or f"exit code {reply.exit_code}"


def together(*whys: str) -> str:
    """Reasons as one text in which nothing is said twice."""
    said = (part for why in whys for part in why.split("; ") if part)
    return "; ".join(dict.fromkeys(said))


def last_words(reply: Reply, most: int = 1) -> str:
    """The last lines that a command printed, or why it was not carried out."""
    lines = [line.strip() for line in getattr(reply, "output", "").splitlines() if line.strip()]
    return "; ".join(lines[-most:]) or what_was_seen(reply) or "it ended without a word"


def ended_well(reply: Reply) -> bool:
    """Whether a command ended by itself and with 0."""
    return isinstance(reply, Ran) and reply.ok


def run_stage(family: CrossingFamily, name: str, title: str, command: Run) -> Script[str]:
    """Carry out a stage; why it failed, or an empty text.

    Tries are counted by how they ended: one that ended badly is tried once more, one that was
    cut off is tried again. Before every further try comes a repair. A stage that leaves a package
    half done did not end well, whatever its command says.
    """
    wanted = f"{name.capitalize()}: {title}"
    first_why, cut_off = "", 0
    while True:
        reply = yield from titled(command, wanted)
        if ended_well(reply):
            return (yield from left_whole(family))
        cut_off += was_cut_off(reply)
        why = why_it_failed(family, reply)
        if cut_off > MOST_CUT_OFF or (first_why and not was_cut_off(reply)):
            # The second try often fails only on what the first left behind.
            return first_why or why
        first_why = first_why or ("" if was_cut_off(reply) else why)
        yield from repair(family)
        wanted = f"{name.capitalize()}, once more"


def mark_automatic(
    family: CrossingFamily, name: str, packages: Iterable[str], native: str
) -> Script[str]:
    """Mark what nobody asked for as such where the stage did not; why that failed, or nothing."""
    title = f"{name.capitalize()}: read who asked for what"
    reply = yield from ReadFiles(title=title, patterns=(family.marks,))
    seen = reply.files if isinstance(reply, FilesRead) else ()
    command = family.mark_automatic(packages, "\n\n".join(file.text for file in seen), native)
    if command is None:
        return ""
    reply = yield from titled(command, f"{name.capitalize()}: {command.title}")
    return "" if ended_well(reply) else why_it_failed(family, reply)


def was_cut_off(reply: Reply) -> bool:
    """Whether a command vanished: it was killed, or the power went."""
    return isinstance(reply, Ran) and reply.lost


def left_whole(family: CrossingFamily) -> Script[str]:
    """See that every package is whole, and repair what is not; what stays half done, and why."""
    reply = yield from ReadFacts(title="See that every package is whole")
    if isinstance(reply, FactsRead) and not reply.facts.broken:
        return ""
    return (yield from repair(family))


def repair(family: CrossingFamily) -> Script[str]:
    """Finish half-done work; what was cut off while it was unpacked is installed again.

    What is half done all the same, and why; empty where every package is whole.
    """
    why = yield from _carried_out(family, family.repair())
    reply = yield from ReadFacts(title="Look for packages cut off while they were unpacked")
    cut_off = (
        [package.name for package in reply.facts.installed if package.fault != "ok"]
        if isinstance(reply, FactsRead)
        else []
    )
    if cut_off:
        steps = (family.reinstall(cut_off), *family.repair())
        why = yield from _carried_out(family, steps)
        reply = yield from ReadFacts(title="See that every package is whole")
    return _half_done(reply, why)


def _half_done(reply: Reply, why: str) -> str:
    if not isinstance(reply, FactsRead):
        return f"whether every package is whole is not read: {what_was_seen(reply)}"
    broken = reply.facts.broken
    if not broken:
        return ""
    names = ", ".join(f"{package.name} ({package.state})" for package in broken[:_MOST_NAMES])
    room = room_for_a_kernel(reply.facts)
    if room is not None and not room.is_enough:
        why = together(why, room.words)
    more = f" and {len(broken) - _MOST_NAMES} more" if len(broken) > _MOST_NAMES else ""
    return f"half done: {names}{more}" + (f"; {why}" if why else "")


def _carried_out(family: CrossingFamily, steps: Iterable[Run]) -> Script[str]:
    """Carry out the steps of a repair, all again when one is cut off; why one failed, the first."""
    steps = tuple(steps)
    why = ""
    for _ in range(MOST_CUT_OFF):
        why = ""
        for step in steps:
            reply = yield from step
            if was_cut_off(reply):
                break
            if not ended_well(reply):
                why = why or why_it_failed(family, reply)
        else:
            return why
    return why or "the repair was cut off again and again"

"""The script that holds a machine at a series of kernels, or lets it go on: one file, read back."""

from brave_bridge.core.crossing.family import CrossingFamily
from brave_bridge.core.crossing.replies import FactsRead, Failed, FileText, Ran, Reply
from brave_bridge.core.crossing.requests import (
    Checkpoint,
    ReadFacts,
    RemoveFile,
    Script,
    WriteFiles,
)
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import what_was_seen, why_it_failed
from brave_bridge.core.kernels.kernel_package import series_of
from brave_bridge.core.kernels.series_hold import series_holds
from brave_bridge.core.survey.facts import Facts


def hold_series(
    family: CrossingFamily | None, series: str, file: FileText, before: str = ""
) -> Script[Outcome]:
    """Write the hold, and ask the package manager whether it keeps to it; taken back if not.

    ``family`` is None where its commands are not known: then what the machine's own files say
    counts. ``before`` is the text that the file has now; empty where there is none.
    """
    yield from Checkpoint(title="Checkpoint: ready", name="ready", leg=0)
    written = yield from WriteFiles(title=f"Hold kernels at {series}", files=(file,))
    if isinstance(written, Failed):
        return _stopped("hold", what_was_seen(written))
    why = yield from _why_it_does_not_hold(family, series)
    if not why:
        return Outcome(state="done")
    yield from _put(FileText(file.path, before), "Take the hold back")
    return _stopped("reading back", why)


def let_series_go(file: FileText) -> Script[Outcome]:
    """Take the hold back whole; what else holds the machine is told."""
    yield from Checkpoint(title="Checkpoint: ready", name="ready", leg=0)
    done = yield from _put(file, "Let the series of kernels go")
    if isinstance(done, Failed):
        return _stopped("hold", what_was_seen(done))
    reply = yield from ReadFacts(title="See what follows now")
    if not isinstance(reply, FactsRead):
        return _stopped("reading back", what_was_seen(reply))
    others = series_holds(reply.facts.pins, reply.facts.kernel_packages)
    told = tuple(f"{hold.where} still keeps {', '.join(hold.packages)}" for hold in others)
    return Outcome(state="done", warnings=told)


def _put(file: FileText, title: str) -> Script[Reply]:
    """The file with its text; without a text it goes."""
    if file.text:
        return (yield from WriteFiles(title=title, files=(file,)))
    return (yield from RemoveFile(title=title, path=file.path))


def _why_it_does_not_hold(family: CrossingFamily | None, series: str) -> Script[str]:
    """What of another series would still come; empty where nothing would."""
    reply = yield from ReadFacts(title="Read the hold back")
    if not isinstance(reply, FactsRead):
        return what_was_seen(reply)
    facts = reply.facts
    held = {name for hold in _at(facts, series) for name in hold.packages}
    if not held:
        return "the package manager's files do not have it"
    if family is None:
        return ""
    reply = yield from family.simulate()
    if not isinstance(reply, Ran) or reply.lost or reply.exit_code not in (0, 1):
        return why_it_failed(family, reply)
    outlook = family.outlook(reply.output)
    other = [
        f"{update.name} {update.new}"
        for update in outlook.updates
        if update.name in held and series_of(update.new) != series
    ]
    return f"{', '.join(other)} would still come" if other else ""


def _at(facts: Facts, series: str):
    holds = series_holds(facts.pins, facts.kernel_packages)
    return [hold for hold in holds if hold.series == series]


def _stopped(at: str, why: str) -> Outcome:
    safe = "no package was changed, and nothing is held that was not before"
    return Outcome(state="stopped", at=at, why=why, safe=safe)

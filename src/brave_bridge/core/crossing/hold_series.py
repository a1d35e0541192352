"""The script that holds a machine at a series of kernels, or lets it go on: one file, read back."""

from brave_bridge.core.crossing.family import CrossingFamily
from brave_bridge.core.crossing.replies import FactsRead, Failed, FileText, Ran
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


def hold_series(family: CrossingFamily, series: str, file: FileText) -> Script[Outcome]:
    """Write the hold, and ask the package manager whether it keeps to it; taken back if not."""
    yield from Checkpoint(title="Checkpoint: ready", name="ready", leg=0)
    written = yield from WriteFiles(title=f"Hold kernels at {series}", files=(file,))
    if isinstance(written, Failed):
        return _stopped("hold", what_was_seen(written))
    why = yield from _why_it_does_not_hold(family, series)
    if not why:
        return Outcome(state="done")
    yield from RemoveFile(title="Take the hold back", path=file.path)
    return _stopped("reading back", why)


def let_series_go(path: str) -> Script[Outcome]:
    """Take the hold back whole; what else holds the machine is told."""
    yield from Checkpoint(title="Checkpoint: ready", name="ready", leg=0)
    removed = yield from RemoveFile(title="Let the series of kernels go", path=path)
    if isinstance(removed, Failed):
        return _stopped("hold", what_was_seen(removed))
    reply = yield from ReadFacts(title="See what follows now")
    if not isinstance(reply, FactsRead):
        return _stopped("reading back", what_was_seen(reply))
    others = series_holds(reply.facts.pins, reply.facts.kernel_packages)
    told = tuple(f"{hold.where} still keeps {', '.join(hold.packages)}" for hold in others)
    return Outcome(state="done", warnings=told)


def _why_it_does_not_hold(family: CrossingFamily, series: str) -> Script[str]:
    """What of another series would still come; empty where nothing would."""
    reply = yield from ReadFacts(title="Read the hold back")
    if not isinstance(reply, FactsRead):
        return what_was_seen(reply)
    facts = reply.facts
    held = {name for hold in _at(facts, series) for name in hold.packages}
    if not held:
        return "the package manager's files do not have it"
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

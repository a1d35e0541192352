"""The script of updates: the present release is brought up to date until nothing is left.

Everything is fetched before anything changes, a way back is made first, and it is looked
again until no update is left. A restart is told, waited for and verified where a person
agrees to it.
"""

from collections.abc import Container

import msgspec

from brave_bridge.core.crossing.around_restart import AroundRestart, proven_on, surrounded
from brave_bridge.core.crossing.family import CrossingFamily
from brave_bridge.core.crossing.replies import (
    Answered,
    FactsRead,
    Failed,
    Ran,
    SnapshotTaken,
)
from brave_bridge.core.crossing.requests import (
    Ask,
    Checkpoint,
    GuardServices,
    ReadFacts,
    Script,
    TakeSnapshot,
)
from brave_bridge.core.crossing.restart import (
    expected_kernel,
    failing_since,
    restart_at_once,
    why_no_restart,
)
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.settings_before_restart import would_not_start
from brave_bridge.core.crossing.stage import (
    ended_well,
    run_stage,
    titled,
    unguarded,
    what_was_seen,
    why_it_failed,
)
from brave_bridge.core.packages.updates import Outlook, Update
from brave_bridge.core.proof.compare import Proof
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.restart_need import restart_reasons

MAX_ROUNDS = 4
"""How often it is looked again; what is still pending then is left and told."""

GO_ON, LEAVE = "go on", "leave them"
RESTART, LATER = "restart", "later"


class Looked(msgspec.Struct, frozen=True):
    """What was found when it was looked for updates; ``failure`` says why it was not."""

    outlook: Outlook = Outlook()
    failed_sources: tuple[str, ...] = ()
    failure: str = ""


def look_for_updates(family: CrossingFamily) -> Script[Looked]:
    """Fetch what the sources have, and ask the package manager what it would do.

    A source that cannot be reached is told; the others are judged all the same.
    """
    reply = yield from titled(family.refresh(), "Fetch what the sources have")
    if not isinstance(reply, Ran) or reply.lost:
        return Looked(failure=why_it_failed(family, reply))
    failed = () if reply.ok else tuple(family.faults(reply.output)[:6])
    reply = yield from titled(family.simulate(), "Ask the package manager what is pending")
    if not isinstance(reply, Ran) or reply.lost or reply.exit_code not in (0, 1):
        return Looked(failed_sources=failed, failure=why_it_failed(family, reply))
    return Looked(outlook=family.outlook(reply.output), failed_sources=failed)


def bring_up_to_date(
    family: CrossingFamily, around: AroundRestart = AroundRestart()
) -> Script[Outcome]:
    """Install the updates of the present release, look again until none is left."""
    return (yield from _Updating(family, around=around).carry_out())


class CaughtUp(msgspec.Struct, frozen=True):
    """What was brought up to date behind a leg, and what a person has to know of it."""

    updated: tuple[str, ...] = ()
    warnings: tuple[str, ...] = ()


def catch_up(
    family: CrossingFamily, alone: Container[str], ways_back: tuple[str, ...]
) -> Script[CaughtUp]:
    """Install what the sources of a release that was just reached have newer, until none is left.

    Where that would touch what somebody wanted left ``alone``, nothing is installed and that is
    told. ``ways_back`` is the one that a failure names.
    """
    updating = _Updating(family, ways_back)
    looked = yield from look_for_updates(family)
    if looked.failure:
        return CaughtUp(warnings=(f"it could not be looked for updates: {looked.failure}",))
    told = tuple(f"looking for updates: {fault}" for fault in looked.failed_sources)
    if not looked.outlook.updates:
        return CaughtUp(warnings=told)
    against = [update.name for update in looked.outlook.updates if update.name in alone]
    if against:
        names = ", ".join(against[:5])
        return CaughtUp(warnings=(*told, f"updates wait: they would change {names} as well"))
    return (yield from updating.catch_up(looked.outlook, told))


class _Updating:
    def __init__(
        self,
        family: CrossingFamily,
        ways_back: tuple[str, ...] = (),
        around: AroundRestart = AroundRestart(),
    ) -> None:
        self.family = family
        self.around = around
        self.proof: Proof | None = None
        self.way_back = ways_back[-1] if ways_back else ""
        self.updated: list[Update] = []
        self.failed_sources: tuple[str, ...] = ()
        self.may_remove = False

    def carry_out(self) -> Script[Outcome]:
        yield from Checkpoint(title="Checkpoint: ready", name="ready", leg=0)
        reply = yield from ReadFacts(
            title="Read where the machine stands", whole=True, checks=self.around.checks
        )
        if not isinstance(reply, FactsRead):
            return self._stopped("ready", what_was_seen(reply))
        looked = yield from look_for_updates(self.family)
        self.failed_sources = looked.failed_sources
        if looked.failure:
            return self._stopped("sources", looked.failure)
        if not looked.outlook.changes_anything:
            return (yield from self._settle(reply.facts, looked.outlook))
        refusal = yield from self._make_way_back(reply.facts)
        if refusal:
            return refusal
        guarded = yield from GuardServices(title="Keep package scripts from starting services")
        if isinstance(guarded, Failed):
            return self._stopped("guard", what_was_seen(guarded))
        outcome, outlook = yield from self._rounds(looked.outlook)
        told = yield from unguarded()
        outcome = outcome or (yield from self._settle(reply.facts, outlook))
        return msgspec.structs.replace(outcome, warnings=told + outcome.warnings)

    def catch_up(self, outlook: Outlook, told: tuple[str, ...]) -> Script[CaughtUp]:
        """The rounds of updates, guarded; a failure is a warning, for the leg stands."""
        guarded = yield from GuardServices(title="Keep package scripts from starting services")
        if isinstance(guarded, Failed):
            why = what_was_seen(guarded)
            return CaughtUp(warnings=(*told, f"updates were not installed: {why}"))
        failure, outlook = yield from self._rounds(outlook)
        told += yield from unguarded()
        if failure:
            told += (f"updates: {failure.at}: {failure.why}",)
        updated = tuple(f"{u.name} {u.old} → {u.new}" for u in self.updated)
        return CaughtUp(updated, told)

    def _make_way_back(self, facts: Facts) -> Script[Outcome | None]:
        name = facts.identity.name
        reply = yield from TakeSnapshot(
            title="Take a snapshot before the updates", reason=f"before updates of {name}", leg=""
        )
        if not isinstance(reply, SnapshotTaken):
            return self._stopped("way back", what_was_seen(reply))
        self.way_back = reply.id
        yield from Checkpoint(title="Checkpoint: way back", name="way back", leg=0)
        return None

    def _rounds(self, outlook: Outlook) -> Script[tuple[Outcome | None, Outlook]]:
        """Install and look again; a failure, or None with what is left."""
        for number in range(MAX_ROUNDS):
            yield from self._ask_about_removals(outlook, number)
            failure = yield from self._install()
            if failure:
                return failure, outlook
            self.updated += outlook.updates
            looked = yield from look_for_updates(self.family)
            if looked.failure:
                return self._failed("looking again", looked.failure), outlook
            done = looked.outlook == outlook or not looked.outlook.changes_anything
            outlook = looked.outlook
            if done:
                break
        left = {update.name for update in outlook.updates}
        self.updated = [update for update in self.updated if update.name not in left]
        return None, outlook

    def _ask_about_removals(self, outlook: Outlook, number: int) -> Script[None]:
        self.may_remove = not outlook.removed
        if outlook.removed:
            answer = yield from Ask(
                title="Some updates would take packages away",
                key=f"removals-{number}",
                detail="would go away: " + ", ".join(outlook.removed),
                choices=(GO_ON, LEAVE),
                default=LEAVE,
            )
            self.may_remove = isinstance(answer, Answered) and answer.choice == GO_ON

    def _install(self) -> Script[Outcome | None]:
        reply = yield from titled(self.family.download(), "Download everything")
        if not ended_well(reply):
            return self._stopped("download", why_it_failed(self.family, reply))
        stages = [("stage one", "upgrade what adds and removes nothing", self.family.stage_one())]
        if self.may_remove:
            stages.append(("stage two", "upgrade the rest", self.family.stage_two()))
        for name, title, command in stages:
            why = yield from run_stage(self.family, name, title, command)
            if why:
                return self._failed(name, why)
        return None

    def _settle(self, before: Facts, outlook: Outlook) -> Script[Outcome]:
        """Let the package manager check itself, see to a restart, and tell."""
        reply = yield from self.family.check()
        if not ended_well(reply):
            return self._failed("check", why_it_failed(self.family, reply))
        warnings = yield from self._see_to_restart(before)
        left = [f"{u.name} {u.new}: it would take packages away" for u in outlook.updates]
        left += [f"{name}: kept back" for name in outlook.kept_back]
        return Outcome(
            state="done",
            ways_back=(self.way_back,) if self.way_back else (),
            updated=tuple(f"{u.name} {u.old} → {u.new}" for u in self.updated),
            left=tuple(left),
            failed_sources=self.failed_sources,
            warnings=warnings,
            proof=self.proof,
        )

    def _see_to_restart(self, before: Facts) -> Script[tuple[str, ...]]:
        """Offer the restart that the updates ask for, wait for it and look what came up."""
        reply = yield from ReadFacts(title="See whether a restart is pending")
        if not isinstance(reply, FactsRead) or not reply.facts.runs:
            return ()
        reasons = restart_reasons(reply.facts)
        if not reasons:
            return ()
        kernel = expected_kernel(before, reply.facts)
        if why := (yield from why_no_restart(reply.facts, kernel)):
            return (f"a restart is pending; {why}",)
        wanted = "; ".join(reason.words for reason in reasons)
        answer = yield from Ask(
            title="Restart the machine now?",
            key="restart",
            detail=f"A restart is pending: {wanted}. Until then the old versions are running.",
            choices=(RESTART, LATER),
            default=LATER,
        )
        if not (isinstance(answer, Answered) and answer.choice == RESTART):
            return ("a restart is pending",)
        settings = yield from would_not_start(before, reply.facts, "restart")
        if settings.why_not:
            return (f"a restart is pending; {settings.why_not}",)
        restart = restart_at_once(reply.facts, kernel, "restart")
        came = yield from surrounded(self.around, reply.facts, restart)
        if came.facts is None:
            return (f"the restart is not confirmed: {came.failure}", *came.warnings)
        still = ("a restart is still pending",) if restart_reasons(came.facts) else ()
        told = (
            *settings.words,
            *came.warnings,
            *came.faults,
            *failing_since(before, came.facts),
            *still,
        )
        proved = yield from proven_on(self.around, before, kernel)
        if not isinstance(proved, tuple):
            return (*told, f"what came up is not proven: {what_was_seen(proved)}")
        self.proof = proved[1]
        return told

    def _stopped(self, at: str, why: str) -> Outcome:
        return Outcome(
            state="stopped",
            at=at,
            why=why,
            safe="no package was changed" if not self.updated else "what was installed is whole",
            next_step="mend the cause, then update again",
            ways_back=(self.way_back,) if self.way_back else (),
            failed_sources=self.failed_sources,
        )

    def _failed(self, at: str, why: str) -> Outcome:
        back = self.way_back or "newest"
        return Outcome(
            state="failed",
            at=at,
            why=why,
            safe=f"the way back {back} holds the machine as it was before the updates"
            if self.way_back
            else "no package was changed",
            next_step=f"mend the cause and update again, or brave-bridge return {back}",
            ways_back=(self.way_back,) if self.way_back else (),
            failed_sources=self.failed_sources,
        )

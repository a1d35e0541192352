"""A leg under way: what is known of it, and the pieces that every procedure is made of.

Nothing here touches a machine. Until a procedure says that something cannot be undone any more,
a stop leaves the machine as it was; from then on, a failure names the way back.
"""

from collections.abc import Callable

from brave_bridge.core.crossing.baseline import NoBaseline, read_baseline, told_of
from brave_bridge.core.crossing.open_leg import OpenLeg
from brave_bridge.core.crossing.replies import FactsRead, Failed, SnapshotTaken
from brave_bridge.core.crossing.requests import (
    Checkpoint,
    CloseLeg,
    EndTrial,
    GuardServices,
    KeepOpenLeg,
    ReadFacts,
    Run,
    Script,
    TakeSnapshot,
)
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import ended_well, unguarded, warned, what_was_seen
from brave_bridge.core.crossing.ways_back.keep_way_back import new_card, settings_beside
from brave_bridge.core.images.system import TOOL
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.proof.checks import OwnCheck
from brave_bridge.core.survey.facts import Facts, nothing_known
from brave_bridge.core.survey.products import standing_for

LOADER, SLOT = "loader", "slot"
"""What may be on trial behind a restart: a kernel in the loader's care, or a slot of images."""

DONE = Outcome(state="done")
"""The leg is whole."""

Objection = tuple[str, str]
"""Why a leg must not begin, and what to do about it."""

_BEFORE_ANY_CHANGE = ("ready", "way back")


class LegUnderWay:
    """One leg of a route. Procedures go over its plan by the scripts here and their own.

    ``begun`` is what is known of it where it was begun before and is not whole. ``facts`` are
    those that were read last, ``warnings`` what a person has to look at in the end.
    """

    def __init__(
        self,
        family: str,
        plans: tuple[LegPlan, ...],
        number: int,
        baseline: Facts | None = None,
        ways_back: tuple[str, ...] = (),
        begun: OpenLeg | None = None,
    ) -> None:
        self.family = family
        self.plans = plans
        self.plan = plans[number]
        self.number = number
        self.baseline = baseline
        self.ways_back = ways_back
        self.begun = begun
        self.facts = nothing_known("", "")
        self.warnings: tuple[str, ...] = ()
        self.checks: tuple[OwnCheck, ...] = ()
        self.on_trial = ""
        """What is on trial: ``LOADER`` or ``SLOT``; empty where nothing is."""

    # The beginning

    def begin(
        self,
        objection: Callable[[Facts], Objection | None],
        beside: Callable[[Facts], Script[None]] | None = None,
    ) -> Script[Outcome | None]:
        """From the first checkpoint to the one behind the way back; why it must not go on.

        ``objection`` is what a procedure has to object to the facts of a leg that begins;
        ``beside`` begins what may go on while the way back is made, and waits for nothing.
        """
        yield from self.checkpoint("ready")
        if self.begun:
            refusal = yield from self._see_how_far_it_came()
        else:
            refusal = yield from self._take_baseline(objection)
            if refusal is None:
                if beside is not None:
                    yield from beside(self.facts)
                refusal = yield from self._make_way_back()
        if refusal is None:
            yield from self.checkpoint("way back")
        return refusal

    def _take_baseline(
        self, objection: Callable[[Facts], Objection | None]
    ) -> Script[Outcome | None]:
        """The machine must stand where the plan begins, and stand well."""
        facts = yield from self._facts_before()
        if isinstance(facts, NoBaseline):
            return self.stopped("ready", facts.why, facts.next_step)
        self.facts = facts
        leg = self.plan.leg
        here = standing_for(leg, facts)
        if not leg.starts_at(here):
            seen = here.words
            why = f"the machine has {seen}, the plan starts at {leg.start.title}"
            return self.stopped("ready", why, "plan again")
        against = objection(facts)
        return self.stopped("ready", *against) if against else None

    def _facts_before(self) -> Script[Facts | NoBaseline]:
        """The baseline, where none was read yet; else what is there by now."""
        title = self.plan.leg.title
        if self.baseline is None:
            facts = yield from read_baseline(f"Read the baseline before {title}", self.checks)
            if isinstance(facts, Facts):
                self.warnings += told_of(facts)
            return facts
        reply = yield from ReadFacts(title=f"See where the machine stands before {title}")
        return reply.facts if isinstance(reply, FactsRead) else NoBaseline(what_was_seen(reply))

    def _see_how_far_it_came(self) -> Script[Outcome | None]:
        """Before a leg is gone on with: it must still be the machine that it was begun on."""
        reply = yield from ReadFacts(title=f"See how far {self.plan.leg.title} came")
        if not isinstance(reply, FactsRead):
            return self.stopped("ready", what_was_seen(reply))
        self.facts = reply.facts
        leg, here = self.plan.leg, standing_for(self.plan.leg, reply.facts)
        if not leg.may_be_part_way_at(here):
            why = f"the machine has {here.words}, not {leg.title}"
            return self.stopped("ready", why, f"brave-bridge return {self.ways_back[-1]}")
        return None

    def _make_way_back(self) -> Script[Outcome | None]:
        title = self.plan.leg.title
        reply = yield from TakeSnapshot(
            title=f"Take a snapshot before {title}", reason=f"before {title}", leg=title
        )
        if not isinstance(reply, SnapshotTaken):
            return self.stopped("way back", what_was_seen(reply))
        self.ways_back += (reply.id,)
        self.warnings += yield from settings_beside(reply.id)
        self.warnings += yield from new_card()
        return None

    # On the way

    def checkpoint(self, name: str) -> Checkpoint:
        """A place to rest."""
        return Checkpoint(title=f"Checkpoint: {name}", name=name, leg=self.number)

    def guarded(self, change: Script[Outcome]) -> Script[Outcome]:
        """A change with the services guarded around it; those that waited restart behind it."""
        waiting = self._waiting_services()
        guarded = yield from GuardServices(
            title="Keep package scripts from starting services", later=waiting
        )
        if isinstance(guarded, Failed):
            change.close()
            return self.stopped("guard", what_was_seen(guarded))
        outcome = yield from change
        self.warnings += yield from unguarded()
        if waiting and outcome is DONE:
            self.warnings += yield from _restart(waiting)
        return outcome

    def _waiting_services(self) -> tuple[str, ...]:
        """The services that run and shall restart only when the leg is done."""
        ships = {service.unit for service in self.plan.packages.services}
        return tuple(
            unit.name
            for unit in self.facts.activity.units
            if unit.name in ships & self.plan.preferences.restart_later and not unit.has_failed
        )

    # The end

    def keep_open(self, at: str, why: str = "") -> KeepOpenLeg:
        """Keep on the machine that the leg is under way."""
        leg = OpenLeg(
            family=self.family,
            plans=self.plans,
            number=self.number,
            baseline=self.baseline or self.facts,
            ways_back=self.ways_back,
            at=at,
            why=why,
        )
        return KeepOpenLeg(title=f"Keep that {leg.title} is under way", leg=leg)

    def close(self, words: str) -> Script[None]:
        """Nothing is under way any more."""
        self.warnings += yield from warned(
            CloseLeg(title=words), "the machine still notes that the leg is under way"
        )

    def end_trial(self) -> Script[None]:
        """What is on trial is well: it is what every boot takes."""
        if self.on_trial:
            kind, self.on_trial = self.on_trial, ""
            self.warnings += yield from trial_ended(kind)

    def stopped(self, at: str, why: str, next_step: str = "") -> Outcome:
        """The leg ends where everything is as it was."""
        return Outcome(
            state="stopped",
            at=at,
            why=why,
            safe="nothing was changed" if at in _BEFORE_ANY_CHANGE else self._undone(),
            next_step=next_step or "mend the cause, then cross again",
        )

    def _undone(self) -> str:
        if self.plan.sources.files:
            return "the sources are as they were and no package was changed"
        return "what was changed is as it was"

    def failed(self, at: str, why: str) -> Script[Outcome]:
        """The leg stays open: it is gone on with, or returned from."""
        way_back = self.ways_back[-1]
        self.warnings += yield from warned(
            self.keep_open(at, why), "it could not be noted how far the leg came"
        )
        return Outcome(
            state="failed",
            at=at,
            why=why,
            safe=f"the way back {way_back} holds the machine as it was before this leg",
            next_step="mend the cause, then brave-bridge go-on; "
            f"or go back: brave-bridge return {way_back}",
        )


def trial_ended(kind: str) -> Script[tuple[str, ...]]:
    """Have what is on trial booted from now on; what a person has to look at."""
    if kind == SLOT:
        reply = yield from Run(title="Keep the slot that runs", argv=(TOOL, "bless"))
        if ended_well(reply):
            return ()
        return (f"{TOOL} bless failed: the next boot takes the slot that ran before the leg",)
    title = "Let the loader boot by its own default again"
    return (
        yield from warned(EndTrial(title=title), "the loader still boots what ran before the leg")
    )


def _restart(units: tuple[str, ...]) -> Script[tuple[str, ...]]:
    """Restart the services that waited (systemctl(1)); what a person has to look at."""
    reply = yield from Run(
        title="Restart the services that waited", argv=("systemctl", "restart", *units)
    )
    if ended_well(reply):
        return ()
    told = getattr(reply, "output", "").strip()[-200:] or what_was_seen(reply)
    return (f"restarting {', '.join(units)}: {told}",)

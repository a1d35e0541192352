"""The script of a crossing: the checklist of one or more legs, from way back to proof.

Nothing here touches a machine. Up to stage one every stop undoes what was done, so the
machine is as it was; from stage one on, a failure names the way back.
"""

import difflib

import msgspec

from brave_bridge.core.crossing.agreement import GO_ON, UNDO, NotReady, prepare
from brave_bridge.core.crossing.family import CrossingFamily, ExactStage
from brave_bridge.core.crossing.keep_way_back import expiry_warnings
from brave_bridge.core.crossing.open_leg import OpenLeg
from brave_bridge.core.crossing.requests import (
    Answered,
    Ask,
    Checkpoint,
    CloseLeg,
    ExpireSnapshots,
    FactsRead,
    Failed,
    FilesListed,
    FileSwap,
    GuardServices,
    KeepOpenLeg,
    ListFiles,
    MakeCard,
    ReadFacts,
    Run,
    Script,
    SnapshotTaken,
    SwapFiles,
    TakeSnapshot,
    UnguardServices,
    WriteFiles,
)
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import (
    ended_well,
    repair,
    run_stage,
    texts_of,
    titled,
    what_was_seen,
    why_it_failed,
)
from brave_bridge.core.packages.changes import LegPlan
from brave_bridge.core.proof.compare import prove
from brave_bridge.core.survey.databases import held_by_data
from brave_bridge.core.survey.facts import Facts

CHECKPOINTS = ("ready", "way back", "fetched", "stage one", "stage two")
"""The checkpoints of a leg, in order."""


def cross_route(
    family: CrossingFamily, plans: tuple[LegPlan, ...], begun: OpenLeg | None = None
) -> Script[Outcome]:
    """Cross the legs of approved plans, one after the other, and prove the whole.

    ``begun`` is the leg of them that was begun before and is not whole: it is gone on with.
    """
    baseline = begun.baseline if begun else None
    ways_back = begun.ways_back if begun else ()
    obsolete: tuple[str, ...] = ()
    warnings: tuple[str, ...] = ()
    for number in range(begun.number if begun else 0, len(plans)):
        part_way = begun if begun and begun.number == number else None
        leg = _Crossing(family, plans, number, baseline, ways_back, part_way)
        outcome = yield from leg.cross()
        ways_back = leg.ways_back
        warnings += leg.warnings
        baseline = baseline or leg.facts
        obsolete = plans[number].obsolete
        if outcome.state != "done":
            stopped = _stopped_after(outcome, number, ways_back)
            return msgspec.structs.replace(stopped, warnings=warnings)
    proven = yield from _proven(family, baseline, plans, ways_back, obsolete)
    return msgspec.structs.replace(proven, warnings=warnings + proven.warnings)


def _restart(units: tuple[str, ...]) -> Script[tuple[str, ...]]:
    """Restart the services that waited (systemctl(1)); what a person has to look at."""
    reply = yield Run(
        title="Restart the services that waited", argv=("systemctl", "restart", *units)
    )
    if ended_well(reply):
        return ()
    told = getattr(reply, "output", "").strip()[-200:] or what_was_seen(reply)
    return (f"restarting {', '.join(units)}: {told}",)


def _stopped_after(outcome: Outcome, legs_done: int, ways_back: tuple[str, ...]) -> Outcome:
    return Outcome(
        state=outcome.state,
        at=outcome.at,
        why=outcome.why,
        safe=outcome.safe,
        next_step=outcome.next_step,
        ways_back=ways_back,
        legs_done=legs_done,
    )


def _proven(
    family: CrossingFamily,
    baseline: Facts | None,
    plans: tuple[LegPlan, ...],
    ways_back: tuple[str, ...],
    obsolete: tuple[str, ...],
) -> Script[Outcome]:
    """Read the machine again and hold it against the baseline."""
    after = yield ReadFacts(title="Read the machine again")
    aside = yield ListFiles(
        title="Look for config files set aside",
        folder="/etc",
        suffixes=family.set_aside_suffixes,
    )
    if not isinstance(after, FactsRead) or baseline is None:
        return Outcome(
            state="failed",
            at="proof",
            why=what_was_seen(after),
            safe="all legs are crossed",
            next_step="brave-bridge proof",
            ways_back=ways_back,
            legs_done=len(plans),
        )
    expired = yield ExpireSnapshots(title="Let go what the retention rules let go")
    present = {package.name for package in after.facts.installed}
    held = held_by_data(after.facts.clusters, after.facts.packages)
    return Outcome(
        state="done",
        ways_back=ways_back,
        legs_done=len(plans),
        warnings=expiry_warnings(expired),
        proof=prove(baseline, after.facts, plans),
        set_aside=aside.paths if isinstance(aside, FilesListed) else (),
        obsolete=tuple(name for name in obsolete if name in present and name not in held),
    )


def sources_diff(plan: LegPlan) -> str:
    """What the leg changes in the source files, as a unified diff."""
    before = {file.path: file.text for file in plan.sources_before}
    pieces = [
        "\n".join(
            difflib.unified_diff(
                before.get(file.path, "").splitlines(),
                file.text.splitlines(),
                file.path,
                f"{file.path} ({plan.leg.end.codename})",
                lineterm="",
                n=1,
            )
        )
        for file in plan.source_files
    ]
    return "\n".join(piece for piece in pieces if piece)


_DONE = Outcome(state="done")


class _Crossing:
    """One leg under way. Each method is a part of the checklist."""

    def __init__(
        self, family: CrossingFamily, plans: tuple[LegPlan, ...], number: int,
        baseline: Facts | None, ways_back: tuple[str, ...], begun: OpenLeg | None,
    ) -> None:  # fmt: skip
        self.family = family
        self.plans = plans
        self.plan = plans[number]
        self.number = number
        self.baseline = baseline
        self.ways_back = ways_back
        self.begun = begun
        self.facts: Facts | None = None
        self.warnings: tuple[str, ...] = ()

    def cross(self) -> Script[Outcome]:
        yield self._checkpoint("ready")
        if self.begun:
            refusal = yield from self._see_how_far_it_came()
        else:
            refusal = (yield from self._check_start()) or (yield from self._make_way_back())
        if refusal:
            return refusal
        yield self._checkpoint("way back")
        waiting = self._waiting_services()
        guarded = yield GuardServices(
            title="Keep package scripts from starting services", later=waiting
        )
        if isinstance(guarded, Failed):
            return self._stopped("guard", what_was_seen(guarded))
        outcome = yield from self._change()
        reply = yield UnguardServices(title="Let package scripts start services again")
        if isinstance(reply, Failed):
            self.warnings += (f"package scripts still start no services: {what_was_seen(reply)}",)
        if waiting and outcome is _DONE:
            self.warnings += yield from _restart(waiting)
        return outcome

    def _waiting_services(self) -> tuple[str, ...]:
        """The services that run and shall restart only when the leg is done."""
        ships = {service.unit for service in self.plan.services}
        return tuple(
            unit.name
            for unit in self.facts.activity.units
            if unit.name in ships & self.plan.wishes.restart_later and not unit.has_failed
        )

    def _checkpoint(self, name: str) -> Checkpoint:
        return Checkpoint(title=f"Checkpoint: {name}", name=name, leg=self.number)

    def _stopped(self, at: str, why: str, next_step: str = "") -> Outcome:
        return Outcome(
            state="stopped",
            at=at,
            why=why,
            safe="nothing was changed"
            if at in ("ready", "way back")
            else "the sources are as they were and no package was changed",
            next_step=next_step or "mend the cause, then cross again",
        )

    def _failed(self, at: str, why: str) -> Script[Outcome]:
        """The leg stays open: it is gone on with, or returned from."""
        way_back = self.ways_back[-1]
        yield self._keep_open(at, why)
        return Outcome(
            state="failed",
            at=at,
            why=why,
            safe=f"the way back {way_back} holds the machine as it was before this leg",
            next_step="mend the cause, then brave-bridge go-on; "
            f"or go back: brave-bridge return {way_back}",
        )

    def _keep_open(self, at: str, why: str = "") -> KeepOpenLeg:
        leg = OpenLeg(
            family=self.family.name, plans=self.plans, number=self.number,
            baseline=self.baseline or self.facts, ways_back=self.ways_back, at=at, why=why,
        )  # fmt: skip
        return KeepOpenLeg(title=f"Keep that {leg.title} is under way", leg=leg)

    def _check_start(self) -> Script[Outcome | None]:
        """The machine must stand where the plan begins, and stand well."""
        reply = yield ReadFacts(title=f"Read the baseline before {self.plan.leg.title}")
        if not isinstance(reply, FactsRead):
            return self._stopped("ready", what_was_seen(reply))
        facts = self.facts = reply.facts
        if facts.broken:
            names = ", ".join(package.name for package in facts.broken[:6])
            return self._stopped("ready", f"half installed: {names}", self.family.finish_words)
        if "systemctl" in facts.activity.unread:
            why = "the service manager did not answer in time: there is no baseline of services"
            return self._stopped("ready", why, "cross when the machine is less busy")
        start = self.plan.leg.start
        if facts.identity.codename != start.codename or facts.identity.version_id not in (
            start.version,
            start.version_id,
        ):
            seen = f"{facts.identity.version_id} {facts.identity.codename}"
            return self._stopped(
                "ready", f"the machine has {seen}, the plan starts at {start.title}", "plan again"
            )
        now = {file.path: file.text for file in facts.source_files}
        planned = {file.path: file.text for file in self.plan.sources_before}
        if now != planned:
            return self._stopped("ready", "the sources were edited since the plan", "plan again")
        return None

    def _see_how_far_it_came(self) -> Script[Outcome | None]:
        """Before a leg is gone on with: it must still be the machine that it was begun on."""
        reply = yield ReadFacts(title=f"See how far {self.plan.leg.title} came")
        if not isinstance(reply, FactsRead):
            return self._stopped("ready", what_was_seen(reply))
        self.facts = reply.facts
        leg, seen = self.plan.leg, reply.facts.identity
        known = {leg.start.codename, leg.end.codename}
        if seen.codename not in known:
            why = f"the machine has {seen.version_id} {seen.codename}, not {leg.title}"
            return self._stopped("ready", why, f"brave-bridge return {self.ways_back[-1]}")
        return None

    def _make_way_back(self) -> Script[Outcome | None]:
        reply = yield TakeSnapshot(
            title=f"Take a snapshot before {self.plan.leg.title}",
            reason=f"before {self.plan.leg.title}",
            leg=self.plan.leg.title,
        )
        if not isinstance(reply, SnapshotTaken):
            return self._stopped("way back", what_was_seen(reply))
        self.ways_back += (reply.id,)
        yield MakeCard(title="Make the recovery card anew")
        return None

    def _change(self) -> Script[Outcome]:
        """From the sources to the last package; the services are guarded around it."""
        if self.begun:
            refusal = yield from self._take_up_where_it_stood()
        else:
            refusal = yield from self._turn_sources()
        if refusal:
            return refusal
        part_way = self.facts if self.begun else None
        prepared = yield from prepare(self.family, self.plan, self.number, part_way)
        if isinstance(prepared, NotReady):
            if self.begun:
                return (yield from self._failed(prepared.at, prepared.why))
            refusal = self._stopped(prepared.at, prepared.why, prepared.next_step)
            return (yield from self._put_sources_back(refusal))
        self.plan, commands = prepared.plan, prepared.commands
        yield self._checkpoint("fetched")
        for name, title, stage in (
            ("stage one", "upgrade what removes nothing and adds nothing", commands.stage_one),
            ("stage two", "carry out the rest", commands.stage_two),
        ):
            why = yield from self._stage(name, title, stage)
            if why:
                return (yield from self._failed(name, why))
            yield self._checkpoint(name)
        return (yield from self._settle())

    def _stage(self, name: str, title: str, stage: ExactStage | None) -> Script[str]:
        """Carry a stage out and put the marks right; why it failed, or an empty text."""
        if stage is None:
            return ""
        why = yield from run_stage(self.family, name, title, stage.command)
        if stage.marks is not None:
            marked = yield stage.marks
            why = why or ("" if ended_well(marked) else why_it_failed(self.family, marked))
        return why

    def _turn_sources(self) -> Script[Outcome | None]:
        answer = yield Ask(
            title="Point the sources at the new release?",
            key=f"sources-{self.number}",
            detail=sources_diff(self.plan),
            choices=(GO_ON, UNDO),
            default=GO_ON,
        )
        if not (isinstance(answer, Answered) and answer.choice == GO_ON):
            return self._stopped(
                "sources", what_was_seen(answer) or "the person chose to undo", "plan again"
            )
        reply = yield self._keep_open("sources")
        if isinstance(reply, Failed):
            return self._stopped("sources", what_was_seen(reply))
        reply = yield self._write_sources()
        if isinstance(reply, Failed):
            refusal = self._stopped("sources", what_was_seen(reply))
            return (yield from self._put_sources_back(refusal))
        return None

    def _write_sources(self) -> WriteFiles:
        return WriteFiles(
            title=f"Write the sources of {self.plan.leg.end.title}",
            files=texts_of(self.plan.source_files),
        )

    def _put_sources_back(self, outcome: Outcome) -> Script[Outcome]:
        """Undo what was done to the sources; where that fails the leg stays open."""
        reply = yield WriteFiles(
            title="Put the sources back as they were",
            files=texts_of(self.plan.sources_before),
        )
        if isinstance(reply, Failed):
            why = f"{outcome.why}; and the sources could not be put back: {what_was_seen(reply)}"
            return (yield from self._failed(outcome.at, why))
        yield CloseLeg(title="Nothing of the leg is left to undo")
        reply = yield titled(self.family.refresh(), "Fetch the old release's indices again")
        if not ended_well(reply):
            told = why_it_failed(self.family, reply)
            self.warnings += (f"the old release's indices could not be fetched again: {told}",)
        return outcome

    def _take_up_where_it_stood(self) -> Script[Outcome | None]:
        """Repair what the try before left, and have the sources point at the leg's end."""
        yield from repair(self.family)
        reply = yield ReadFacts(title="Read what is there and what is missing")
        if not isinstance(reply, FactsRead):
            return (yield from self._failed("ready", what_was_seen(reply)))
        self.facts = reply.facts
        now = {file.path: file.text for file in reply.facts.source_files}
        if now == {file.path: file.text for file in self.plan.sources_before}:
            reply = yield self._write_sources()
            if isinstance(reply, Failed):
                return (yield from self._failed("sources", what_was_seen(reply)))
        elif now != {file.path: file.text for file in self.plan.source_files}:
            self.warnings += ("the sources were edited by hand since the leg began",)
        return None

    def _settle(self) -> Script[Outcome]:
        """Give the config files the version that was decided, and check the packages."""
        swaps = tuple(
            FileSwap(
                newer=question.path + self.family.set_aside_by(question.managed_by),
                present=question.path,
                saved=question.path + self.family.saved_suffix,
            )
            for question in self.plan.questions
            if question.answer == "theirs"
        )
        if swaps:
            reply = yield SwapFiles(
                title="Take the new version of the chosen config files", swaps=swaps
            )
            if isinstance(reply, Failed):
                return (yield from self._failed("config files", what_was_seen(reply)))
        reply = yield self.family.check()
        if not ended_well(reply):
            return (yield from self._failed("check", why_it_failed(self.family, reply)))
        yield CloseLeg(title=f"{self.plan.leg.title} is whole")
        return _DONE

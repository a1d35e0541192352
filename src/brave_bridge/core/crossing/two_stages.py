"""The leg of a package manager: sources, indices, plan and rehearsal agree, then two stages.

Up to stage one every stop undoes what was done to the sources; from stage one on, a failure
names the way back.
"""

from brave_bridge.core.crossing.agreement import GO_ON, UNDO, NotReady, prepare
from brave_bridge.core.crossing.ahead import Ahead
from brave_bridge.core.crossing.family import CrossingFamily, ExactStage
from brave_bridge.core.crossing.leg_under_way import DONE, LegUnderWay, Objection
from brave_bridge.core.crossing.procedure import LegProcedure
from brave_bridge.core.crossing.replies import Answered, FactsRead, Failed
from brave_bridge.core.crossing.requests import (
    Ask,
    FileSwap,
    ReadFacts,
    Script,
    SwapFiles,
    WriteFiles,
)
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.settings_foreseen import MEND_FIRST, would_refuse
from brave_bridge.core.crossing.stage import (
    ended_well,
    mark_automatic,
    repair,
    run_stage,
    texts_of,
    titled,
    together,
    what_was_seen,
    why_it_failed,
)
from brave_bridge.core.survey.boot_fitness import (
    room_for_a_kernel,
    spare_kernels,
    unfit_to_boot,
)
from brave_bridge.core.survey.facts import Facts

MAKE_ROOM = "make room first"


class TwoStages(LegProcedure):
    """See LegProcedure."""

    checkpoints = ("ready", "way back", "fetched", "stage one", "stage two")

    def __init__(self, commands: CrossingFamily) -> None:
        self.commands: CrossingFamily | None = commands
        self._commands = commands
        self.family = commands.name
        self.set_aside_suffixes = commands.set_aside_suffixes

    def cross(self, leg: LegUnderWay) -> Script[Outcome]:
        """See LegProcedure."""
        return (yield from _TwoStageLeg(self._commands, leg).cross())


class _TwoStageLeg:
    """One such leg. Each method is a part of the checklist."""

    def __init__(self, commands: CrossingFamily, leg: LegUnderWay) -> None:
        self.commands = commands
        self.leg = leg
        self.ahead = Ahead(commands, leg.plan)
        self.half_done = ""
        """What a repair could not finish, and why."""

    def cross(self) -> Script[Outcome]:
        refusal = yield from self.leg.begin(self._objection, self.ahead.begin)
        outcome = refusal or (yield from self.leg.guarded(self._change()))
        yield from self.ahead.let_go()
        return outcome

    def _objection(self, facts: Facts) -> Objection | None:
        """The packages must be whole, and the sources as they were planned over."""
        if facts.broken:
            names = ", ".join(package.name for package in facts.broken[:6])
            return f"half installed: {names}", self.commands.finish_words
        now = {file.path: file.text for file in facts.source_files}
        planned = {file.path: file.text for file in self.leg.plan.sources.before}
        return None if now == planned else ("the sources were edited since the plan", "plan again")

    def _change(self) -> Script[Outcome]:
        """From the sources to the last package; the services are guarded around it."""
        if self.leg.begun:
            refusal = yield from self._take_up_where_it_stood()
        else:
            refusal = yield from self._turn_sources()
        if refusal:
            return refusal
        part_way = self.leg.facts if self.leg.begun else None
        leg = self.leg
        prepared = yield from prepare(self.commands, leg.plan, leg.number, self.ahead, part_way)
        if isinstance(prepared, NotReady):
            if self.leg.begun:
                why = together(self.half_done, prepared.why)
                return (yield from self.leg.failed(prepared.at, why))
            refusal = self.leg.stopped(prepared.at, prepared.why, prepared.next_step)
            return (yield from self._put_sources_back(refusal))
        self.leg.plan, commands = prepared.plan, prepared.commands
        if not self.leg.begun:
            foreseen = yield from would_refuse(self.commands, self.leg)
            self.leg.warnings += foreseen.words
            if foreseen.why_not:
                refusal = self.leg.stopped("settings", foreseen.why_not, MEND_FIRST)
                return (yield from self._put_sources_back(refusal))
        yield from self.leg.checkpoint("fetched")
        for name, title, stage in (
            ("stage one", "upgrade what removes nothing and adds nothing", commands.stage_one),
            ("stage two", "carry out the rest", commands.stage_two),
        ):
            why = yield from self._stage(name, title, stage)
            if why:
                return (yield from self.leg.failed(name, why))
            yield from self.leg.checkpoint(name)
        if commands.stage_one is None and commands.stage_two is None and self.half_done:
            return (yield from self.leg.failed("packages", self.half_done))
        return (yield from self._settle())

    def _stage(self, name: str, title: str, stage: ExactStage | None) -> Script[str]:
        """Carry a stage out and put the marks right; why it failed, or an empty text."""
        if stage is None:
            return ""
        why = yield from run_stage(self.commands, name, title, stage.command)
        if stage.automatic:
            native = self.leg.facts.identity.architecture
            unmarked = yield from mark_automatic(self.commands, name, stage.automatic, native)
            why = why or unmarked
        return why

    def _turn_sources(self) -> Script[Outcome | None]:
        answer = yield from Ask(
            title="Point the sources at the new release?",
            key=f"sources-{self.leg.number}",
            detail=self.leg.plan.sources.diff,
            choices=(GO_ON, UNDO),
            default=GO_ON,
        )
        if not (isinstance(answer, Answered) and answer.choice == GO_ON):
            return self.leg.stopped(
                "sources", what_was_seen(answer) or "the person chose to undo", "plan again"
            )
        reply = yield from self.leg.keep_open("sources")
        if isinstance(reply, Failed):
            return self.leg.stopped("sources", what_was_seen(reply))
        reply = yield from self._write_sources()
        if isinstance(reply, Failed):
            refusal = self.leg.stopped("sources", what_was_seen(reply))
            return (yield from self._put_sources_back(refusal))
        return None

    def _write_sources(self) -> WriteFiles:
        return WriteFiles(
            title=f"Write the sources of {self.leg.plan.leg.end.title}",
            files=texts_of(self.leg.plan.sources.files),
        )

    def _put_sources_back(self, outcome: Outcome) -> Script[Outcome]:
        """Undo what was done to the sources; where that fails the leg stays open."""
        reply = yield from WriteFiles(
            title="Put the sources back as they were",
            files=texts_of(self.leg.plan.sources.before),
        )
        if isinstance(reply, Failed):
            why = f"{outcome.why}; and the sources could not be put back: {what_was_seen(reply)}"
            return (yield from self.leg.failed(outcome.at, why))
        yield from self.leg.close("Nothing of the leg is left to undo")
        reply = yield from titled(self.commands.refresh(), "Fetch the old release's indices again")
        if not ended_well(reply):
            told = why_it_failed(self.commands, reply)
            self.leg.warnings += (f"the old release's indices could not be fetched again: {told}",)
        return outcome

    def _take_up_where_it_stood(self) -> Script[Outcome | None]:
        """Repair what the try before left, and have the sources point at the leg's end."""
        if why := (yield from self._without_room()):
            return (yield from self.leg.failed("ready", why))
        self.half_done = yield from repair(self.commands)
        reply = yield from ReadFacts(title="Read what is there and what is missing")
        if not isinstance(reply, FactsRead):
            return (yield from self.leg.failed("ready", what_was_seen(reply)))
        self.leg.facts = reply.facts
        now = {file.path: file.text for file in reply.facts.source_files}
        if now == {file.path: file.text for file in self.leg.plan.sources.before}:
            reply = yield from self._write_sources()
            if isinstance(reply, Failed):
                return (yield from self.leg.failed("sources", what_was_seen(reply)))
        elif now != {file.path: file.text for file in self.leg.plan.sources.files}:
            self.leg.warnings += ("the sources were edited by hand since the leg began",)
        return None

    def _without_room(self) -> Script[str]:
        """Why it must not go on for want of room for a kernel that is still to be set up."""
        facts, room = self.leg.facts, room_for_a_kernel(self.leg.facts)
        here = {package.name: package.version for package in facts.installed}
        awaited = [
            change.name
            for change in self.leg.plan.packages.arriving
            if change.section.endswith("kernel") and here.get(change.name) != change.new
        ]
        lacking = [one.version for one in facts.kernels if unfit_to_boot(facts, one.version)]
        if room is None or room.is_enough or not (awaited or lacking):
            return ""
        spare = spare_kernels(facts)
        advice = f"\nThese may go: {', '.join(spare[:4])}." if spare else ""
        answer = yield from Ask(
            title="Go on without room for a kernel?",
            key=f"boot-room-{self.leg.number}",
            detail=f"{room.words}. Still to be set up: {', '.join(awaited or lacking)}.{advice}",
            choices=(GO_ON, MAKE_ROOM),
            default=MAKE_ROOM,
        )
        if isinstance(answer, Answered) and answer.choice == GO_ON:
            return ""
        return f"there is no room for a kernel: {room.words}"

    def _settle(self) -> Script[Outcome]:
        """Give the config files the version that was decided, and check the packages."""
        swaps = tuple(
            FileSwap(
                newer=question.path + self.commands.set_aside_by(question.managed_by),
                present=question.path,
                saved=question.path + self.commands.saved_suffix,
            )
            for question in self.leg.plan.configs.questions
            if question.answer == "theirs"
        )
        if swaps:
            reply = yield from SwapFiles(
                title="Take the new version of the chosen config files", swaps=swaps
            )
            if isinstance(reply, Failed):
                return (yield from self.leg.failed("config files", what_was_seen(reply)))
        reply = yield from self.commands.check()
        if not ended_well(reply):
            return (yield from self.leg.failed("check", why_it_failed(self.commands, reply)))
        return DONE

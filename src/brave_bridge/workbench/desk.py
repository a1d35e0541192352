"""The desk: everything that can be done for one machine, from survey to return.

Both the screen and the command line work through it. Reading never writes to the
machine; the state folder is made when there is first something to keep.
"""

from collections.abc import Callable, Iterable
from datetime import UTC, date, datetime
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from brave_bridge.core.crossing.open_leg import OpenLeg
from brave_bridge.core.crossing.stage import ended_well, why_it_failed
from brave_bridge.core.estimate import Estimate
from brave_bridge.core.field_notes import FieldNote
from brave_bridge.core.formats.text import plain
from brave_bridge.core.releases.catalogue import ReleaseLine
from brave_bridge.core.releases.standing import SCALES, scale_of
from brave_bridge.core.survey.facts import Facts, nothing_known
from brave_bridge.core.survey.findings import OpenLegSeen, WaysBackSeen, stops
from brave_bridge.core.survey.known_trouble import files_asked_for, paths_asked_for
from brave_bridge.core.survey.platform import PAST_MARK
from brave_bridge.families.identify import read_identity
from brave_bridge.families.registry import family_by_database, family_named, survey
from brave_bridge.families.topics.asked import Asked
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.machines.runtime import own_runtime
from brave_bridge.runner import launch
from brave_bridge.runner.briefs import (
    SCRIPT_VERSION,
    Brief,
    CrossBrief,
    encode_brief,
)
from brave_bridge.runner.card_maker import card_state
from brave_bridge.runner.open_legs import OPEN_LEG
from brave_bridge.runner.own_runtime import (
    KEPT_RUNTIME,
    RuntimeFault,
    load_all,
    make_runtime,
    why_none,
)
from brave_bridge.runner.performing.ways_back import about
from brave_bridge.runner.ready_runner import ReadyRunner
from brave_bridge.runner.starter import keep_starting
from brave_bridge.snapshots.agent import beside
from brave_bridge.snapshots.description import Kept, Snapshot
from brave_bridge.store.faults import DamagedDatabase, DatabaseError
from brave_bridge.store.opening import has_logbook, open_logbook, set_logbook_aside
from brave_bridge.store.reading_notes import read_notes
from brave_bridge.store.rows import ProcedureRow, now
from brave_bridge.workbench.damage import Damage, damage_of
from brave_bridge.workbench.decisions import (
    Decisions,
    read_decisions,
    surroundings_for,
)
from brave_bridge.workbench.forecast import forecast
from brave_bridge.workbench.kept_plan import fitting_plan
from brave_bridge.workbench.lines import line_for, line_of, products_of, release_of
from brave_bridge.workbench.own_checks import checks_for
from brave_bridge.workbench.places import state_of_fleet
from brave_bridge.workbench.record import KeptPlan, Surveyed
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.routes import Routes, all_routes, routes_to, stands_of
from brave_bridge.workbench.surveying import Around, judge
from brave_bridge.workbench.targets import Target, open_target

if TYPE_CHECKING:
    from brave_bridge.runner.performer import Performer
    from brave_bridge.store.logbook import Logbook


KEEPING = "keep past"
"""The kind of procedure that may begin on a past system."""


class Desk:
    """One machine and what can be done for it."""

    def __init__(self, target: Target, machine: Machine | None = None) -> None:
        self.target = target
        self.machine = machine or open_target(target)
        self.beside = beside(self.machine)
        self.snapshots = self.beside.snapshots
        self.today: Callable[[], date] = lambda: datetime.now(UTC).date()
        self._logbook: Logbook | None = None
        self.ready: ReadyRunner | None = None
        """A runner that is loaded already, for what is begun next."""

    # Where the machine stands

    def family(self) -> str:
        """The machine's family by its line, else by its package database; empty if unknown."""
        try:
            line = self.line()
            return line.family if line else family_by_database(self.machine)
        except MachineError:
            return ""

    def line(self) -> ReleaseLine | None:
        """The machine's release line; None where the catalogue has none such."""
        return line_of(read_identity(self.machine)[0])

    def facts(self) -> Facts:
        """Read the machine's facts; MachineError where it is no system that can be read."""
        line = self.line()
        issues = [issue for rule in (line.legs if line else ()) for issue in rule.issues]
        track = line.track_setting if line else None
        own = (track.path,) if track else ()
        asked = Asked((*paths_asked_for(issues), *own), files_asked_for(issues))
        return survey(self.machine, line.family if line else "", asked)

    def facts_as_far_as_known(self) -> Facts:
        """The machine's facts; none where it cannot be read, which a return does without."""
        try:
            return self.facts()
        except MachineError:
            return nothing_known(self.machine.name, self.machine.kind)

    def survey(
        self, to: str = "", facts: Facts | None = None, listed: tuple[Kept, ...] | None = None
    ) -> Surveyed:
        """Judge the machine's facts for the route to a release, or to the one to offer.

        ``listed`` are the snapshots where they were listed already.
        """
        facts = facts or self.facts()
        readable = self.reads_records
        plan = fitting_plan(self.machine, facts) if readable else None
        if listed is None:
            listed = tuple(self.snapshots.listed()) if readable else ()
        decisions = read_decisions(self.machine) if readable else Decisions()
        line = line_for(facts)
        around = Around(
            today=self.today(),
            line=line,
            release=release_of(facts.identity, line),
            plan=plan,
            goal=to,
            snapshots=listed,
            ways_back=self._ways_back_seen(listed, facts) if readable else WaysBackSeen(),
            readable=readable,
            decisions=decisions,
            damage=self.damage() if readable else (),
            open_leg=self._open_leg_seen() if readable else None,
            no_runtime=self._why_no_runtime(),
            notes=self.field_notes(),
            estimate=self._estimate(plan, listed, decisions) if plan else None,
        )
        return judge(self.target, self.machine, facts, around)

    def _ways_back_seen(self, listed: tuple[Kept, ...], facts: Facts) -> WaysBackSeen:
        journal = self.beside.returning.interrupted()
        return WaysBackSeen(
            damaged=tuple((k.snapshot.id, plain(k.fault)) for k in listed if not k.is_whole),
            cut_off=plain(journal.snapshot) if journal else "",
            uncovered=tuple((u.path, u.why) for u in self.snapshots.layout().uncovered),
            card=card_state(self.machine, facts, self.snapshots)[0],
        )

    def _why_no_runtime(self) -> str:
        if not self.machine.is_this_system or own_runtime():
            return ""
        return why_none(KEPT_RUNTIME)

    def _open_leg_seen(self) -> OpenLegSeen | None:
        try:
            leg = self.open_leg()
        except MachineError as error:
            return OpenLegSeen("a leg", "", plain(error.seen), "")
        return OpenLegSeen(leg.title, leg.at, plain(leg.why), leg.way_back) if leg else None

    def field_notes(self) -> tuple[FieldNote, ...]:
        """All field notes of the fleet that the machine belongs to, the newest first."""
        try:
            return tuple(read_notes(state_of_fleet(self.target.kind)))
        except DatabaseError:
            return ()

    def _estimate(self, plan: KeptPlan, listed: tuple[Kept, ...], decisions: Decisions) -> Estimate:
        snapshots = [kept.snapshot for kept in listed if kept.is_whole]
        rows = self.procedures()
        logbook = self.logbook() if rows else None
        return forecast(plan.legs, snapshots, rows, logbook, decisions.speeds)

    def routes(self, facts: Facts | None = None, to: str = "") -> Routes:
        """Where the machine can go on the scale that ``to`` is of, or on that to be offered.

        Refused where the catalogue does not know it.
        """
        if facts is None and scale_of(to) not in SCALES:
            # Only its packages tell of a product.
            facts = self.facts()
        return routes_to(self.standings(facts), to)

    def standings(self, facts: Facts | None = None) -> tuple[Routes, ...]:
        """Where the machine stands on every scale of its line, and where it can go from there.

        Refused where the catalogue does not know it.
        """
        identity = facts.identity if facts else read_identity(self.machine)[0]
        line = line_for(facts) if facts else line_of(identity)
        here = release_of(identity, line)
        if line is None or here is None:
            name = identity.name or identity.os_id or "this system"
            raise Refused(
                "finding a route",
                f"{name} is not in the release catalogue",
                "add a catalogue file for it",
            )
        decisions = read_decisions(self.machine) if self.reads_records else Decisions()
        seen = facts or nothing_known(self.machine.name, self.machine.kind).of(identity)
        stands = stands_of(line, seen, decisions, self.field_notes())
        return all_routes(line, here, seen, self.today(), stands, products_of(seen, line))

    def performer(self, purpose: str) -> "Performer":
        """A performer for a script that only looks, and is carried out at once."""
        from brave_bridge.runner.performer import Performer

        self.machine.state.make()
        name = f"{purpose}-{_stamp()}"
        return Performer(self.machine, self.family(), self.beside, name)

    # Ways back

    def snapshot(self, reason: str, progress=None) -> Snapshot:
        """Take a snapshot now, in this process."""
        self.must_read_records()
        self.machine.state.make()
        wanted = about(self.machine, self.facts(), reason)
        return self.snapshots.take(_stamp(), wanted, progress)

    # Procedures

    @property
    def reads_records(self) -> bool:
        """Whether this user may read the machine's logbook and snapshots, if there are any."""
        state = self.machine.state
        if not state.is_there():
            return True
        state.must_be_trusted()
        return state.can_be_read()

    def must_read_records(self) -> None:
        """Refused where this user may not read the machine's logbook and snapshots.

        MachineError where somebody else can have written them.
        """
        if not self.reads_records:
            where = self.machine.state.where
            raise Refused(f"reading {where}", "permission denied", "run it as root")

    @property
    def has_logbook(self) -> bool:
        """Whether anything was ever recorded; Refused where this user may not know."""
        self.must_read_records()
        return has_logbook(self.machine)

    def logbook(self) -> "Logbook":
        """The machine's logbook, made if it is missing."""
        if self._logbook is None:
            self.machine.state.make()
            self._logbook = open_logbook(self.machine)
        return self._logbook

    def procedures(self) -> list[ProcedureRow]:
        """All procedures, the newest first; none where the logbook is damaged."""
        try:
            return self.logbook().procedures() if self.has_logbook else []
        except DamagedDatabase:
            self.forget_logbook()
            return []

    def forget_logbook(self) -> None:
        """Let go of the logbook's file, so that it is opened anew."""
        if self._logbook is not None:
            self._logbook.close()
            self._logbook = None

    def damage(self) -> tuple[Damage, ...]:
        """What of the machine's state cannot be read, or was set aside because of that."""
        fault = self._logbook_fault()
        return tuple(damage_of(self.machine, self.target.kind, fault.why if fault else ""))

    def _logbook_fault(self) -> DatabaseError | None:
        """Why the logbook cannot be read; None where it can, or there is none."""
        try:
            if self.has_logbook:
                self.logbook().must_be_sound()
        except DatabaseError as error:
            self.forget_logbook()
            return error
        return None

    def set_aside_damage(self) -> None:
        """Set a damaged logbook aside, so that a new one begins; never under a runner.

        One that is only locked, or on a disk that is full, is none such.
        """
        if isinstance(self._logbook_fault(), DamagedDatabase) and not self.runner_is_there():
            set_logbook_aside(self.machine)

    def open_procedure(self) -> ProcedureRow | None:
        """The procedure that has not ended, if there is one."""
        open_states = ("running", "resting")
        return next((row for row in self.procedures() if row.state in open_states), None)

    def begin_crossing(self, plan: KeptPlan, *, unattended: bool) -> str:
        """Begin to cross an approved plan in a runner of its own; the procedure's id."""
        surveyed = self.survey(plan.to)
        found = stops(surveyed.findings)
        if found:
            raise Refused("crossing", "; ".join(f.title for f in found), found[0].remedy)
        self._must_run_commands(surveyed.line.family)
        title = f"{plan.legs[0].leg.start.title} to {plan.legs[-1].leg.end.title}"
        seconds = surveyed.estimate.seconds if surveyed.estimate else 0.0
        around = surroundings_for(read_decisions(self.machine), surveyed.facts)
        checks = checks_for(self.target.kind, self.machine.name, surveyed.facts)
        brief = CrossBrief(surveyed.line.family, plan.legs, seconds, around, checks=checks)
        return self.begin("crossing", title, brief, unattended)

    def _must_run_commands(self, family: str) -> None:
        """Refused where the machine's package manager cannot even be started."""
        if not family_named(family).can_cross:
            raise Refused("crossing", f"machines of the {family} family cannot cross yet")
        manager = family_named(family).commands
        if manager is None:
            return
        reply = self.performer("answers").perform(0, manager.answers(), lambda *_: None)
        if not ended_well(reply):
            why = f"no command runs there: {why_it_failed(manager, reply)}"
            raise Refused("crossing", why, "mend that; nothing was changed")

    def begin(self, kind: str, title: str, brief: Brief, unattended: bool) -> str:
        """Write a procedure into the logbook and start its runner; the procedure's id.

        Refused where another has not ended; a return takes the place of one that waits.
        """
        self._must_run_its_own_system(kind)
        self.beside.returning.finish_exchange()
        self.set_aside_damage()
        self.machine.state.make()
        runtime = self._runtime(kind)
        # Of two that begin at once the second finds what the first has written.
        with self.machine.state.changing("begin"):
            return self._begin(kind, title, brief, unattended, runtime)

    def _must_run_its_own_system(self, kind: str) -> None:
        """Refused on a past system: what is done there is gone after the next restart."""
        past = self.machine.files.read_if_there(PAST_MARK, 200)
        if past is not None and kind != KEEPING:
            raise Refused(
                kind,
                "the machine was started in a past system, beside its own",
                "keep it (brave-bridge keep-past), or restart into the system of now",
            )

    def _runtime(self, kind: str) -> Path | None:
        """A runtime that outlives a procedure which replaces what we run on; None: none is needed.

        Refused where a crossing needs one and none can be made; a return is always let through.
        """
        if kind not in ("crossing", "return") or not self.machine.is_this_system or own_runtime():
            return None
        try:
            runtime = make_runtime(KEPT_RUNTIME)
            keep_starting(runtime)
        except (RuntimeFault, OSError) as fault:
            if kind == "return":
                return None
            raise Refused(
                kind,
                f"no runtime of its own could be made, and the leg replaces this one: {fault}",
                "mend that, or cross with the bundle, which needs nothing of the system",
            ) from fault
        load_all()
        return runtime

    def _begin(
        self, kind: str, title: str, brief: Brief, unattended: bool, runtime: Path | None
    ) -> str:
        waiting = self.open_procedure()
        if waiting is not None and not (kind == "return" and waiting.kind != "return"):
            raise Refused(
                kind,
                f"{waiting.kind} {waiting.id} has not ended",
                "go on with it: brave-bridge go-on",
            )
        if launch.runner_is_there(self.machine.state):
            raise Refused(kind, "a runner is at work on this machine")
        if waiting is not None:
            self.logbook().set_state(waiting.id, "stopped")
        identifier = f"{_stamp()}-{kind}"
        self.logbook().begin(
            ProcedureRow(
                id=identifier,
                kind=kind,
                title=title,
                brief=encode_brief(brief),
                state="running",
                began=now(),
                ended="",
                outcome=None,
                rest_asked=False,
                unattended=unattended,
                version=SCRIPT_VERSION,
            )
        )
        self._start(identifier, runtime)
        return identifier

    def _start(self, identifier: str, runtime: Path | None) -> None:
        ready, self.ready = self.ready, None
        launch.start_runner(self.target.words, identifier, self.machine.state, runtime, ready)

    def go_on(self, *, unattended: bool = False) -> str:
        """Go on with the procedure that has not ended, or with the leg that one left open.

        Its id; Refused where nothing is under way.
        """
        waiting = self.open_procedure()
        if waiting is None:
            return self.begin_again(unattended=unattended)
        is_there = launch.runner_is_there(self.machine.state)
        runtime = None if is_there else self._runtime(waiting.kind)
        self.logbook().ask_to_rest(waiting.id, False)
        if unattended:
            self.logbook().take_defaults(waiting.id)
        self.logbook().set_state(waiting.id, "running")
        if not is_there:
            self._start(waiting.id, runtime)
        return waiting.id

    def open_leg(self) -> OpenLeg | None:
        """The leg that was begun and is not whole; MachineError where it cannot be read."""
        return OPEN_LEG.must_read(self.machine.state) if self.reads_records else None

    def must_have_no_open_leg(self, what: str) -> None:
        """Refused where a leg was begun and is not whole."""
        leg = self.open_leg()
        if leg is not None:
            remedy = f"go on: brave-bridge go-on, or back: brave-bridge return {leg.way_back}"
            raise Refused(what, f"{leg.title} is not whole yet", remedy)

    def begin_again(
        self,
        theirs: Iterable[str] = (),
        wanted: Iterable[tuple[str, str]] = (),
        *,
        unattended: bool = False,
    ) -> str:
        """Go on with the leg that a crossing left open; the id of the procedure.

        ``theirs`` are config files whose new version shall be taken after all, ``wanted`` more
        preferences about packages, each its kind and the slot. Refused where no leg is open.
        """
        leg = self.open_leg()
        if leg is None:
            raise Refused("going on", "nothing is under way on this machine")
        plans = leg.plans
        for path in theirs:
            plans = tuple(plan.with_answer(path, "theirs") for plan in plans)
        for kind, slot in wanted:
            plans = tuple(plan.with_preference(kind, slot) for plan in plans)
        around = surroundings_for(read_decisions(self.machine), self.facts())
        begun = msgspec.structs.replace(leg, plans=plans)
        checks = checks_for(self.target.kind, self.machine.name, leg.baseline)
        brief = CrossBrief(leg.family, plans, 0.0, around, begun, checks)
        return self.begin("crossing", f"on with {leg.title}", brief, unattended)

    def runner_is_there(self) -> bool:
        """Whether a runner is at work on the machine."""
        return self.machine.state.is_there() and launch.runner_is_there(self.machine.state)


def _stamp() -> str:
    """A name for what begins now: sortable and unique enough for one machine."""
    return datetime.now(UTC).strftime("%Y%m%d-%H%M%S-%f")[:-3]

"""The desk: everything that can be done for one machine, from survey to return.

Both the screen and the command line work through it. Reading never writes to the
machine; the state folder is made when there is first something to keep.
"""

from collections.abc import Callable
from datetime import UTC, date, datetime
from typing import TYPE_CHECKING

from brave_bridge.core.crossing.open_leg import OpenLeg
from brave_bridge.core.estimate import Estimate
from brave_bridge.core.field_notes import FieldNote
from brave_bridge.core.formats.text import plain
from brave_bridge.core.releases.catalogue import ReleaseLine
from brave_bridge.core.releases.standing import SCALES, scale_of
from brave_bridge.core.survey.facts import Facts, nothing_known
from brave_bridge.core.survey.findings import OpenLegSeen, WaysBackSeen
from brave_bridge.core.survey.known_trouble import files_asked_for, paths_asked_for
from brave_bridge.families.identify import read_identity
from brave_bridge.families.registry import family_by_database, survey
from brave_bridge.families.topics.asked import Asked
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.machines.runtime import own_runtime
from brave_bridge.runner import launch
from brave_bridge.runner.card_maker import card_state
from brave_bridge.runner.open_legs import OPEN_LEG
from brave_bridge.runner.own_runtime import (
    KEPT_RUNTIME,
    why_none,
)
from brave_bridge.runner.ready_runner import ReadyRunner
from brave_bridge.snapshots.agent import beside
from brave_bridge.snapshots.description import Kept
from brave_bridge.store.faults import DamagedDatabase, DatabaseError
from brave_bridge.store.opening import has_logbook, open_logbook, set_logbook_aside
from brave_bridge.store.reading_notes import read_notes
from brave_bridge.store.rows import ProcedureRow
from brave_bridge.workbench.damage import Damage, damage_of
from brave_bridge.workbench.decisions import (
    Decisions,
    read_decisions,
)
from brave_bridge.workbench.kept.kept_plan import fitting_plan
from brave_bridge.workbench.lines import line_for, line_of, products_of, release_of
from brave_bridge.workbench.outlook.forecast import forecast
from brave_bridge.workbench.outlook.routes import Routes, all_routes, routes_to, stands_of
from brave_bridge.workbench.places import state_of_fleet
from brave_bridge.workbench.record import KeptPlan, Surveyed
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.surveying import Around, judge
from brave_bridge.workbench.targets import Target, open_target

if TYPE_CHECKING:
    from brave_bridge.runner.performer import Performer
    from brave_bridge.store.logbook import Logbook


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
        name = f"{purpose}-{stamp()}"
        return Performer(self.machine, self.family(), self.beside, name)

    # Ways back

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

    def open_leg(self) -> OpenLeg | None:
        """The leg that was begun and is not whole; MachineError where it cannot be read."""
        return OPEN_LEG.must_read(self.machine.state) if self.reads_records else None

    def must_have_no_open_leg(self, what: str) -> None:
        """Refused where a leg was begun and is not whole."""
        leg = self.open_leg()
        if leg is not None:
            remedy = f"go on: brave-bridge go-on, or back: brave-bridge return {leg.way_back}"
            raise Refused(what, f"{leg.title} is not whole yet", remedy)

    def runner_is_there(self) -> bool:
        """Whether a runner is at work on the machine."""
        return self.machine.state.is_there() and launch.runner_is_there(self.machine.state)


def stamp() -> str:
    """A name for what begins now: sortable and unique enough for one machine."""
    return datetime.now(UTC).strftime("%Y%m%d-%H%M%S-%f")[:-3]

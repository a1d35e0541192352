"""The record of a machine: all that the screen knows of it at one moment."""

from __future__ import annotations

from typing import TYPE_CHECKING

import msgspec

from brave_bridge.core.crossing.requests import WAITS_FOR_KEY, UseKey
from brave_bridge.core.estimate import Estimate
from brave_bridge.core.field_notes import FieldNote
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.packages.updates import Update
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.plan_hash import plan_hash
from brave_bridge.core.proof.compare import Proof
from brave_bridge.core.proof.repeats import Repeats
from brave_bridge.core.releases.catalogue import Release, ReleaseLine
from brave_bridge.core.releases.choices import Choices
from brave_bridge.core.releases.route import Route
from brave_bridge.core.survey.difference import FindingChange
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.findings import Finding
from brave_bridge.core.survey.products import ProductSeen
from brave_bridge.drawings.bridge import BridgeState
from brave_bridge.machines.port import STATE_FOLDER
from brave_bridge.workbench.outlook.next_step import NextStep
from brave_bridge.workbench.outlook.routes import Routes, Track

if TYPE_CHECKING:
    from brave_bridge.core.boot.past_entry import PastSystem
    from brave_bridge.snapshots.description import Gone, Snapshot
    from brave_bridge.snapshots.returns.set_aside import SetAside
    from brave_bridge.store.rows import EntryRow, ProcedureRow, QuestionRow, SampleRow
    from brave_bridge.workbench.way_back import WayBack


class KeptPlan(msgspec.Struct, frozen=True):
    """An approved plan as kept on the machine; it holds while the fingerprint does."""

    to: str
    fingerprint: str
    made_at: str
    legs: tuple[LegPlan, ...]
    indices: str = f"{STATE_FOLDER}/plans"
    """The folder on the machine that holds what it was planned over."""

    @property
    def hash(self) -> str:
        """What it is approved by."""
        return plan_hash(self.legs)

    def follows(self, route: Route | None) -> bool:
        """Whether its legs are those of a route."""
        legs = route.legs if route else ()
        return [plan.leg.key for plan in self.legs] == [leg.key for leg in legs]

    @property
    def preferences(self) -> Preferences:
        """What the person wanted of it."""
        return self.legs[0].preferences


class Surveyed(msgspec.Struct, frozen=True):
    """A machine's facts and how they are judged, for the route to a goal where there is one.

    ``changes`` is what differs from the survey of ``before`` (ISO 8601, empty: there was none).
    """

    facts: Facts
    line: ReleaseLine | None
    release: Release | None
    findings: tuple[Finding, ...]
    goal: Release | None = None
    route: Route | None = None
    plan: KeptPlan | None = None
    estimate: Estimate | None = None
    changes: tuple[FindingChange, ...] = ()
    before: str = ""
    notes: tuple[FieldNote, ...] = ()
    updates: tuple[Update, ...] = ()
    routes: Routes | None = None
    standings: tuple[Routes, ...] = ()
    """Where the machine stands on every scale of its line."""
    products: tuple[ProductSeen, ...] = ()
    """The products that stand on its release: its other identities."""


class Fault(msgspec.Struct, frozen=True):
    """What could not be read or done, and what to do."""

    what: str
    why: str
    remedy: str


class Asked(msgspec.Struct, frozen=True):
    """What is asked of a person now: a question with its choices, or a licence key.

    ``key`` is the question's own; empty where it is a licence key that is ``wanted``.
    """

    title: str
    detail: str
    choices: tuple[str, ...]
    key: str = ""
    wanted: UseKey | None = None


GIVE, NO_KEY = "give the key", "no key will come"


class Live(msgspec.Struct, frozen=True):
    """The newest procedure as it stands. ``output`` are the newest lines of its command.

    ``samples`` say how far it was over time.
    """

    row: ProcedureRow
    entries: tuple[EntryRow, ...]
    questions: tuple[QuestionRow, ...]
    at_work: bool
    output: tuple[str, ...] = ()
    samples: tuple[SampleRow, ...] = ()

    @property
    def is_open(self) -> bool:
        """Whether it has not ended."""
        return self.row.state in ("running", "resting")

    @property
    def asked(self) -> Asked | None:
        """What is asked of a person now."""
        if not self.is_open:
            return None
        for question in self.questions:
            if not question.answer:
                told = (question.title, question.detail, question.choices)
                return Asked(*told, key=question.key)
        wanted = self._wanted_key() if self.at_work else None
        if wanted is None:
            return None
        detail = (
            f"{wanted.title}. It is typed unseen, handed on from memory to memory, and written "
            "down nowhere."
        )
        title = f"The key of edition {wanted.edition} is needed"
        return Asked(title, detail, (GIVE, NO_KEY), wanted=wanted)

    def _wanted_key(self) -> UseKey | None:
        newest = self.entries[-1] if self.entries else None
        if newest is None or newest.kind != UseKey.__name__ or newest.ended:
            return None
        is_waiting = newest.note == WAITS_FOR_KEY
        return newest.asked_as(UseKey) if is_waiting else None


class MachineRecord(msgspec.Struct, frozen=True, kw_only=True):
    """One machine. What was not read yet, or cannot be, is None."""

    name: str
    about: str
    words: tuple[str, ...]
    by_own_tools: bool = False
    """Whether its legs are crossed by its own tools alone: no family of ours carries them out."""
    fault: Fault | None = None
    surveyed: Surveyed | None = None
    goal: Release | None = None
    route: Route | None = None
    routes: tuple[Route, ...] = ()
    choices: Choices = Choices((), ())
    track: Track | None = None
    tasks_done: frozenset[str] = frozenset()
    plan: KeptPlan | None = None
    ways_back: tuple[WayBack, ...] = ()
    gone: tuple[Gone, ...] = ()
    set_aside: tuple[SetAside, ...] = ()
    past_systems: tuple[PastSystem, ...] = ()
    procedures: tuple[ProcedureRow, ...] = ()
    live: Live | None = None
    proof: Proof | None = None
    repeats: Repeats = Repeats()
    next: NextStep = NextStep("reading the machine", "survey", "show", 0)
    bridge: BridgeState = BridgeState(("",))

    @property
    def snapshots(self) -> tuple[Snapshot, ...]:
        """Those that can be returned to, oldest first."""
        return tuple(way.kept.snapshot for way in self.ways_back if way.kept.is_whole)

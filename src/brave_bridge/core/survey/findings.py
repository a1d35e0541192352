"""Findings: the judged points of a survey, and what they are judged from."""

from collections.abc import Callable, Iterable, Iterator, Mapping
from datetime import date
from enum import StrEnum

import msgspec

from brave_bridge.core.estimate import Estimate, Window
from brave_bridge.core.field_notes import FieldNote
from brave_bridge.core.packages.roles import Roles
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.releases.catalogue import Leg, Release, ReleaseLine
from brave_bridge.core.releases.open_legs import ClosedLeg
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.package_manager import Commands, PackageManager
from brave_bridge.core.survey.products import ProductSeen


class Verdict(StrEnum):
    """How a point is judged, told by shape as well as by colour."""

    CLEAR = "clear"
    CAUTION = "caution"
    STOP = "stop"
    NOT_APPLICABLE = "not-applicable"

    @property
    def mark(self) -> str:
        """Its shape."""
        return {"clear": "●", "caution": "▲", "stop": "■", "not-applicable": "○"}[self.value]

    @property
    def gravity(self) -> int:
        """Its place in an order that puts the gravest first."""
        return ("stop", "caution", "clear", "not-applicable").index(self.value)


TAKE_UP_SOURCES = "take up sources"
"""The deed that asks sources that wait, and takes up again those that have the release."""


class Finding(msgspec.Struct, frozen=True):
    """One judged point. ``meaning`` says what it means for the leg ahead.

    ``remedy`` is what to do, in words; ``fix`` are the commands that do it where that is safe
    enough to be run from the screen. ``overruled`` is the reason for which a person lets a
    stop stand; it is then a caution.
    """

    id: str
    verdict: Verdict
    title: str
    evidence: str
    meaning: str = ""
    remedy: str = ""
    can_be_overruled: bool = False
    fix: Commands = ()
    overruled: str = ""
    deed: str = ""
    """What Brave Bridge itself can do about it, where no commands do it."""


class Link(msgspec.Struct, frozen=True):
    """How the person who asks reaches the machine. ``kept`` is what keeps the session alive."""

    over: str
    host: str
    kept: str = ""


class WayBackSeen(msgspec.Struct, frozen=True):
    """The newest way back: its ISO day, its engine, and when it ends (ISO 8601, empty: never)."""

    day: str
    engine: str = ""
    ends: str = ""


class WaysBackSeen(msgspec.Struct, frozen=True):
    """What there is around the newest way back.

    ``damaged`` names snapshots with their fault; ``cut_off`` the snapshot that an
    interrupted return leads to; ``uncovered`` the file systems that a snapshot leaves out,
    each with why; ``card`` is ``fresh``, ``stale``, ``none`` or empty where it is not known.
    """

    damaged: tuple[tuple[str, str], ...] = ()
    cut_off: str = ""
    uncovered: tuple[tuple[str, str], ...] = ()
    card: str = ""


class OpenLegSeen(msgspec.Struct, frozen=True):
    """A leg that was begun and is not whole: the step that was under way, why it ended there."""

    title: str
    at: str
    why: str
    way_back: str


class Situation(msgspec.Struct, frozen=True):
    """All that a rule may look at. What is not known yet is None or empty."""

    facts: Facts
    today: date
    line: ReleaseLine | None = None
    release: Release | None = None
    products: tuple[ProductSeen, ...] = ()
    """The products that stand on the release."""
    legs: tuple[Leg, ...] = ()
    """The legs of the route to the goal, in order."""
    closed: tuple[ClosedLeg, ...] = ()
    """Those of them that are not open to the machine."""
    plan: LegPlan | None = None
    way_back: WayBackSeen | None = None
    ways_back: WaysBackSeen = WaysBackSeen()
    records_are_readable: bool = True
    """Whether logbook and snapshots, which only root may read, could be read."""
    damaged_state: tuple[tuple[str, str], ...] = ()
    """Files of our own that could not be read, each with why."""
    open_leg: OpenLegSeen | None = None
    no_runtime: str = ""
    """Why Brave Bridge could not go on while a leg replaces what it runs on; empty: it can."""
    notes: tuple[FieldNote, ...] = ()
    backup_confirmed: str = ""
    """ISO day on which the person last confirmed that home and data are backed up."""
    settings_backup: str = ""
    """ISO day of the newest archive of the settings."""
    failed_sources: tuple[str, ...] = ()
    """What the newest refresh could not reach, in the package manager's words."""
    refreshed_at: str = ""
    """When the sources were last asked by us (ISO 8601); empty: never."""
    manager: PackageManager = PackageManager()
    """What is to be known of the machine's package manager."""
    link: Link | None = None
    estimate: Estimate | None = None
    window: Window | None = None
    roles: Roles = Roles(())
    """What packages are to the machine."""

    @property
    def leg(self) -> Leg | None:
        """The leg ahead."""
        return self.legs[0] if self.legs else None

    def first_end(self, refuses: Callable[[Release], object]) -> Release | None:
        """The first release along the route that refuses the machine."""
        return next((leg.end for leg in self.legs if refuses(leg.end)), None)

    @property
    def end(self) -> Release | None:
        """The release that the leg ahead leads to."""
        return self.leg.end if self.leg else None

    def days_since(self, day: str) -> int | None:
        """Days from an ISO day to today; None where it is no day."""
        try:
            return (self.today - date.fromisoformat(day[:10])).days
        except ValueError:
            return None


GROUPS = (
    "release",
    "updates",
    "packages",
    "sources",
    "configuration",
    "space",
    "boot",
    "hardware",
    "running",
    "people",
    "way back",
    "leg",
)
"""The subjects of rules, in the order in which they are read."""

Judge = Callable[[Situation], Iterable[Finding]]


class Rule(msgspec.Struct, frozen=True):
    """One point that a survey judges: a pure function from a situation to findings.

    ``asks`` is the question it answers, ``means`` why it matters, ``needs`` names the topic
    of the facts without which nothing can be said. ``half_way``: it counts also while a leg is
    half done; what any other finds then would only stand before what ends that.
    """

    id: str
    group: str
    asks: str
    means: str
    judge: Judge
    needs: str = ""
    can_be_overruled: bool = False
    half_way: bool = False

    def findings(self, situation: Situation) -> Iterator[Finding]:
        """What the rule finds, with its id and meaning filled in."""
        why_not = situation.facts.why_not(self.needs) if self.needs else ""
        if why_not:
            yield Finding(self.id, Verdict.NOT_APPLICABLE, self.asks, why_not)
            return
        for found in self.judge(situation):
            grave = found.verdict in (Verdict.STOP, Verdict.CAUTION)
            if grave and situation.open_leg and not self.half_way:
                later = f"judged again when {situation.open_leg.title} is whole"
                yield Finding(self.id, Verdict.NOT_APPLICABLE, found.title, later)
                continue
            yield msgspec.structs.replace(
                found,
                id=self.id,
                meaning=found.meaning or (self.means if grave else ""),
                can_be_overruled=self.can_be_overruled and found.verdict is Verdict.STOP,
            )


def rule(
    identifier: str,
    group: str,
    *,
    asks: str,
    means: str,
    needs: str = "",
    overrule: bool = False,
    half_way: bool = False,
) -> Callable[[Judge], Rule]:
    """Make a rule of the judging function below it. ``overrule``: its stop may be overruled."""
    if group not in GROUPS:
        raise ValueError(f"{identifier}: there is no group {group}")

    def made(judge: Judge) -> Rule:
        return Rule(identifier, group, asks, means, judge, needs, overrule, half_way)

    return made


def clear(title: str, evidence: str) -> Finding:
    """A point that is as it should be."""
    return Finding("", Verdict.CLEAR, title, evidence)


def not_applicable(title: str, evidence: str, remedy: str = "") -> Finding:
    """A point that cannot be judged here, or need not be."""
    return Finding("", Verdict.NOT_APPLICABLE, title, evidence, remedy=remedy)


def caution(
    title: str,
    evidence: str,
    remedy: str,
    *,
    fix: Commands = (),
    meaning: str = "",
    deed: str = "",
) -> Finding:
    """A point to look at before the leg."""
    return Finding("", Verdict.CAUTION, title, evidence, meaning, remedy, fix=fix, deed=deed)


def stop(
    title: str, evidence: str, remedy: str, *, fix: Commands = (), meaning: str = ""
) -> Finding:
    """A point that stands in the way of the leg."""
    return Finding("", Verdict.STOP, title, evidence, meaning, remedy, fix=fix)


def judge_all(
    situation: Situation, rules: Iterable[Rule], overruled: Mapping[str, str] | None = None
) -> tuple[Finding, ...]:
    """The findings of all rules, the gravest first, otherwise in the rules' order.

    ``overruled`` maps a rule's id to the reason for which a person lets its stop stand.
    """
    found = [
        _overruled(finding, (overruled or {}).get(finding.id, ""))
        for rule in rules
        for finding in rule.findings(situation)
    ]
    return tuple(sorted(found, key=lambda finding: finding.verdict.gravity))


def _overruled(finding: Finding, reason: str) -> Finding:
    if not (reason and finding.can_be_overruled):
        return finding
    return msgspec.structs.replace(finding, verdict=Verdict.CAUTION, overruled=reason)


def counted(findings: Iterable[Finding]) -> dict[Verdict, int]:
    """How many findings have each verdict."""
    counts = dict.fromkeys(Verdict, 0)
    for finding in findings:
        counts[finding.verdict] += 1
    return counts


def stops(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """The findings that stand in the way."""
    return tuple(finding for finding in findings if finding.verdict is Verdict.STOP)


def worst(findings: Iterable[Finding]) -> Verdict:
    """The gravest verdict; clear where there is none."""
    grave = [f.verdict for f in findings if f.verdict is not Verdict.NOT_APPLICABLE]
    return min(grave, key=lambda verdict: verdict.gravity, default=Verdict.CLEAR)

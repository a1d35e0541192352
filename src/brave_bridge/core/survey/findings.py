"""Findings: the judged points of a survey, and what they are judged from."""

from collections.abc import Callable, Iterable
from datetime import date
from enum import StrEnum

import msgspec

from brave_bridge.core.packages.changes import LegPlan
from brave_bridge.core.releases.catalogue import Leg, Release, ReleaseLine
from brave_bridge.core.survey.facts import Facts


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


class Finding(msgspec.Struct, frozen=True):
    """One judged point. ``meaning`` says what it means for the leg ahead."""

    id: str
    verdict: Verdict
    title: str
    evidence: str
    meaning: str = ""
    remedy: str = ""
    can_be_overruled: bool = False


class Situation(msgspec.Struct, frozen=True):
    """All that a rule may look at. What is not known yet is None."""

    facts: Facts
    today: date
    line: ReleaseLine | None = None
    release: Release | None = None
    leg: Leg | None = None
    plan: LegPlan | None = None
    newest_way_back_days: int | None = None
    records_are_readable: bool = True
    """Whether logbook and snapshots, which only root may read, could be read."""


class Rule(msgspec.Struct, frozen=True):
    """One point that a survey judges: a pure function from a situation to findings.

    ``needs`` names the topic of the facts without which nothing can be said.
    """

    id: str
    subject: str
    judge: Callable[[Situation], Iterable[Finding]]
    needs: str = ""


def judge_all(situation: Situation, rules: Iterable[Rule]) -> tuple[Finding, ...]:
    """The findings of all rules, the gravest first, otherwise in the rules' order."""
    found: list[Finding] = []
    for rule in rules:
        if rule.needs and not situation.facts.where(rule.needs):
            found.append(
                Finding(
                    rule.id,
                    Verdict.NOT_APPLICABLE,
                    f"Not read on this kind of system: {rule.subject}",
                    f"no {rule.needs} among the facts",
                )
            )
        else:
            found += rule.judge(situation)
    return tuple(sorted(found, key=lambda finding: finding.verdict.gravity))


def counted(findings: Iterable[Finding]) -> dict[Verdict, int]:
    """How many findings have each verdict."""
    counts = dict.fromkeys(Verdict, 0)
    for finding in findings:
        counts[finding.verdict] += 1
    return counts


def stops(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """The findings that stand in the way."""
    return tuple(finding for finding in findings if finding.verdict is Verdict.STOP)

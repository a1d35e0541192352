"""The hash by which a plan is approved: it changes when anything that would be done does."""

import hashlib
from collections.abc import Iterable, Iterator

from brave_bridge.core.packages.changes import LegPlan

LENGTH = 16


def plan_hash(legs: Iterable[LegPlan]) -> str:
    """A short hash (SHA-256, hexadecimal) over every change, answer and source of the legs."""
    digest = hashlib.sha256()
    for leg in legs:
        for line in _lines(leg):
            digest.update(line.encode() + b"\0")
    return digest.hexdigest()[:LENGTH]


def _lines(plan: LegPlan) -> Iterator[str]:
    yield f"leg {plan.leg.start.key} {plan.leg.end.key}"
    for change in sorted(plan.arriving + plan.removed, key=lambda change: change.name):
        yield f"package {change.name} {change.old} {change.new}"
    for question in plan.questions:
        yield f"config {question.path} {question.answer}"
    for file in plan.source_files:
        yield f"source {file.path} {file.text}"

"""The hash by which a plan is approved: it changes when anything that would be done does."""

import hashlib
from collections.abc import Iterable

from brave_bridge.core.plan.leg_plan import LegPlan

LENGTH = 16


def plan_hash(legs: Iterable[LegPlan]) -> str:
    """A short hash (SHA-256, hexadecimal) over what the approval of each leg stands for."""
    digest = hashlib.sha256()
    for leg in legs:
        for line in leg.approved_by():
            digest.update(line.encode() + b"\0")
    return digest.hexdigest()[:LENGTH]

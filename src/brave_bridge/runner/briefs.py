"""From a brief in the logbook to the script that it stands for."""

import msgspec

from brave_bridge.core.crossing.cross import cross_route
from brave_bridge.core.crossing.go_back import go_back
from brave_bridge.core.crossing.requests import Script
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.packages.changes import LegPlan
from brave_bridge.families.choose import family_named

SCRIPT_VERSION = "2"
"""Changes whenever a script's requests change: a runner resumes only scripts of its version."""


class CrossBrief(msgspec.Struct, frozen=True, tag="cross"):
    """Cross the legs of these approved plans.

    ``estimate`` are the seconds that it was thought to take, to be held against those it took.
    """

    family: str
    plans: tuple[LegPlan, ...]
    estimate: float = 0.0


class ReturnBrief(msgspec.Struct, frozen=True, tag="return"):
    """Return to a way back, and why."""

    family: str
    way_back: str
    reason: str


Brief = CrossBrief | ReturnBrief


def encode_brief(brief: Brief) -> bytes:
    """A brief as the logbook keeps it."""
    return msgspec.json.encode(brief)


def decode_brief(content: bytes) -> Brief:
    """A brief from the logbook."""
    return msgspec.json.decode(content, type=Brief)


def script_of(brief: Brief) -> Script[Outcome]:
    """A fresh script."""
    family = family_named(brief.family)
    if isinstance(brief, CrossBrief):
        return cross_route(family, brief.plans)
    return go_back(brief.way_back, family.check)

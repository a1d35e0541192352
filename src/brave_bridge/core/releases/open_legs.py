"""Which legs of a line are open to a machine now, and why the others are not.

A machine's own state counts: a leg that is for other editions or architectures, or that asks
for a later state of the present release, is closed to it, and the reason is told.
"""

from datetime import date

import msgspec

from brave_bridge.core.releases.catalogue import Leg, LegRule, Release, ReleaseLine, leg_of

NOT_OUT, EDITION, ARCHITECTURE, STATE, BASE = (
    "not out",
    "edition",
    "architecture",
    "state",
    "base",
)


class Stands(msgspec.Struct, frozen=True):
    """What a machine is and wants, as far as routes ask: ``version`` as it calls itself (11.9).

    What is empty is not known, and closes nothing.
    """

    version: str = ""
    edition: str = ""
    architecture: str = ""
    long_term_only: bool = False
    """Its track: whether it wants to rest on long-term releases alone."""
    track_from: str = ""
    """The file of the system's own setting that says so; empty where it is our own record."""
    safest: bool = False
    """Whether the way with the least risk is taken, where it is not the shortest."""
    waits: frozenset[str] = frozenset()
    """The keys of the legs that should wait: somebody noted it, or a known issue is so here."""
    cautions: dict[str, int] = {}
    """By the keys of legs, of how many known issues a machine has to take care there."""
    base: Release | None = None
    """Of a product: the release of its base that the machine has."""
    base_name: str = ""

    def should_wait(self, leg: Leg) -> bool:
        """Whether something known about a leg says wait."""
        return leg.key in self.waits


class ClosedLeg(msgspec.Struct, frozen=True):
    """A leg of the line that is not open to a machine now, and why.

    ``cause`` is one of ``NOT_OUT``, ``EDITION``, ``ARCHITECTURE``, ``STATE`` and ``BASE``.
    """

    start: Release
    end: Release
    cause: str
    reason: str

    @property
    def words(self) -> str:
        """It in a sentence."""
        return f"{self.start.title} to {self.end.title} is closed: {self.reason}"


class Legs(msgspec.Struct, frozen=True):
    """The legs that are open, by the key of the release they start from; and the closed ones."""

    open: dict[str, tuple[Leg, ...]]
    closed: tuple[ClosedLeg, ...]


def legs_for(line: ReleaseLine, here: Release, today: date, stands: Stands) -> Legs:
    """The legs of a line, as they stand to a machine that has the release ``here``."""
    legs: dict[str, tuple[Leg, ...]] = {}
    closed = []
    for rule in line.legs:
        leg = leg_of(line, rule)
        cause, why = _why_closed(rule, leg, here, today, stands)
        if cause:
            closed.append(ClosedLeg(leg.start, leg.end, cause, why))
        else:
            legs[rule.start] = (*legs.get(rule.start, ()), leg)
    return Legs(legs, tuple(closed))


def _why_closed(
    rule: LegRule, leg: Leg, here: Release, today: date, stands: Stands
) -> tuple[str, str]:
    """The cause for which a leg is not open to a machine, and why in words; empty where it is."""
    if not leg.end.is_out(today):
        when = f"it comes {leg.end.released}" if leg.end.released else "no day is named"
        return NOT_OUT, f"{leg.end.title} is not out yet: {when}"
    if rule.editions and stands.edition and stands.edition not in rule.editions:
        return EDITION, f"it is for {' and '.join(rule.editions)}, this is {stands.edition}"
    known = rule.architectures or leg.end.needs.architectures
    if known and stands.architecture and stands.architecture not in known:
        return ARCHITECTURE, f"{leg.end.title} does not exist for {stands.architecture}"
    if rule.with_base and stands.base:
        bases = f" to {' or '.join(leg.end.bases)}" if leg.end.bases else ""
        return BASE, f"it comes with a leg of {stands.base_name}{bases}, and is none of its own"
    if leg.end.bases and stands.base and stands.base.key not in leg.end.bases:
        bases = " or ".join(leg.end.bases)
        has = f"this machine has {stands.base.title}"
        return BASE, f"it stands on {stands.base_name} {bases}, {has}"
    asks = rule.at_least if rule.start == here.key else ""
    if asks and stands.version and _numbers(stands.version) < _numbers(asks):
        return STATE, f"it asks for {asks} at least, this is {stands.version}: update first"
    return "", ""


def _numbers(version: str) -> tuple[int, ...]:
    """A release's version as numbers: 11.9 is before 11.10."""
    digits = "".join(c if c.isascii() and c.isdigit() else " " for c in version[:80])
    return tuple(int(word) for word in digits.split())

"""The bridge: a route in side view, as geometry that the screen, SVG and PDF draw alike.

All x are shares of the whole width, 0 at the left end, 1 at the right.
"""

from collections.abc import Iterable

import msgspec

_SHORT = {
    "way back": "back",
    "fetched": "fetch",
    "stage one": "I",
    "stage two": "II",
    "came up": "up",
}
"""What checkpoints are called on the deck, where they have a shorter name."""

PROOF = "proof"
"""What stands behind the last checkpoint of a leg."""


def marks_of(checkpoints: Iterable[str]) -> tuple[str, ...]:
    """What stands on the deck of a leg with these checkpoints, in order."""
    return (*(_SHORT.get(name, name) for name in checkpoints), PROOF)


_OF_EVERY_LEG = marks_of(("ready", "way back"))


class BridgeState(msgspec.Struct, frozen=True):
    """What a bridge shows.

    ``titles`` are the releases from here to the goal; ``beyond`` one that is not out yet.
    ``marks`` stand on the deck of each leg, ``passed`` counts those passed over all legs.
    ``broken`` where the way ends in a failure.
    """

    titles: tuple[str, ...]
    passed: int = 0
    broken: bool = False
    beyond: str = ""
    marks: tuple[str, ...] = _OF_EVERY_LEG


class Pier(msgspec.Struct, frozen=True):
    """A release."""

    x: float
    title: str
    reached: bool


class Mark(msgspec.Struct, frozen=True):
    """A checkpoint on the deck."""

    x: float
    title: str
    passed: bool


class Deck(msgspec.Struct, frozen=True):
    """A stretch of the deck. ``kind``: ``built``, ``planned``, ``beyond`` or ``broken``."""

    start: float
    end: float
    kind: str


class Bridge(msgspec.Struct, frozen=True):
    """The drawing's parts; ``place`` is where the machine stands."""

    piers: tuple[Pier, ...]
    marks: tuple[Mark, ...]
    decks: tuple[Deck, ...]
    place: float


_SHORE = 0.03


def bridge(state: BridgeState) -> Bridge:
    """The geometry of a bridge."""
    legs = max(len(state.titles) - 1, 0)
    ends = legs + (1 if state.beyond else 0)
    if ends == 0:
        shore = Deck(0.0, 0.4, "built")
        return Bridge((Pier(0.2, state.titles[0], True),), (), (shore,), 0.2)
    left, right = 0.08, 0.82 if state.beyond else 0.92
    span = (right - left) / ends
    piers = [
        Pier(left + span * n, title, n * len(state.marks) <= state.passed)
        for n, title in enumerate(state.titles)
    ]
    marks = tuple(
        Mark(
            left + span * (leg + (number + 0.75) / (len(state.marks) + 0.5)),
            title,
            leg * len(state.marks) + number < state.passed,
        )
        for leg in range(legs)
        for number, title in enumerate(state.marks)
    )
    place = _place(piers, marks, state)
    goal = piers[-1].x
    decks = [Deck(left - _SHORE, place, "built")]
    if state.broken and place < goal:
        decks.append(Deck(place, min(place + span / 12, goal), "broken"))
        decks.append(Deck(min(place + span / 12, goal), goal, "planned"))
    elif place < goal:
        decks.append(Deck(place, goal, "planned"))
    if state.beyond:
        piers.append(Pier(left + span * ends, state.beyond, False))
        decks.append(Deck(goal, left + span * ends, "beyond"))
    return Bridge(tuple(piers), marks, tuple(decks), place)


def _place(piers: list[Pier], marks: tuple[Mark, ...], state: BridgeState) -> float:
    passed = state.passed
    if passed <= 0:
        return piers[0].x
    if passed >= len(marks):
        return piers[-1].x
    if passed % len(state.marks) == 0:
        return piers[passed // len(state.marks)].x
    return marks[passed - 1].x

"""Two shores: before and after, each topic a plank between them that holds, bends or breaks."""

from collections.abc import Iterable, Sequence

from brave_bridge.core.formats.text import counted, plain
from brave_bridge.core.proof.compare import Proof
from brave_bridge.core.proof.difference import (
    BETTER,
    DATA,
    EXPECTED,
    NOT_READ,
    REGRESSION,
    SAME,
    UNEXPLAINED,
    Difference,
)
from brave_bridge.drawings.chart import Bar, Chart, Lane, Mark

LEGEND = (
    ("█", "holds"),
    ("▒", "changed as planned"),
    ("▓", "changed, and nothing explains it"),
    ("?", "not read: nobody answered"),
    ("╳", "breaks: worse than before"),
)
_OTHERS = "legs and packages"
"""The topic of what is compared with the plans themselves."""


def key_of(difference: Difference) -> str:
    """The key of a point's row, and of the plank that leads to it."""
    return f"{difference.verdict}:{difference.topic}:{difference.subject}"


def proof_picture(proof: Proof) -> Chart:
    """A plank for each topic, what is worse first."""
    topics: dict[str, list[Difference]] = {}
    for one in (*proof.differences, *proof.same):
        topics.setdefault(one.topic or _OTHERS, []).append(one)
    ordered = sorted(topics.items(), key=lambda item: min(one.rank for one in item[1]))
    return Chart(
        title="As good as before?",
        lanes=tuple(_plank(name, points) for name, points in ordered),
        ticks=((0.0, "before"), (1.0, "after")),
        telling=_telling(proof),
        legend=LEGEND,
    )


def _plank(name: str, points: Sequence[Difference]) -> Lane:
    ordered = sorted(points, key=lambda one: one.rank)
    keys = tuple(key_of(one) for one in ordered)
    worst = ordered[0].verdict
    bars: tuple[Bar, ...]
    marks: tuple[Mark, ...] = ()
    tone = "plain"
    if worst == REGRESSION:
        bars = (Bar(0.0, 0.3, "solid", "stop"),)
        words = _named(one for one in ordered if one.verdict == REGRESSION)
        marks = (Mark(0.33, "╳", "stop"), Mark(0.39, "╳", "stop", words))
        tone = "stop"
    elif worst == NOT_READ:
        bars, tone = (Bar(0.0, 0.3, "dense", "caution"),), "caution"
        marks = (Mark(0.33, "?", "caution"),)
    elif worst == UNEXPLAINED:
        bars, tone = (Bar(0.0, 1.0, "dense", "caution"),), "caution"
    elif worst in (BETTER, EXPECTED):
        bars = (Bar(0.0, 1.0, "light", "plain"),)
    else:
        bars = (Bar(0.0, 1.0, "solid", "clear"),)
    return Lane(keys[0], name, bars, marks, _note(points), tone, keys)


def _named(points: Iterable[Difference]) -> str:
    return ", ".join(plain(one.subject) for one in points)


def _note(points: Sequence[Difference]) -> str:
    """How many of each, in a few words."""
    words = {
        REGRESSION: "worse",
        NOT_READ: "not read",
        UNEXPLAINED: "unexplained",
        BETTER: "better",
        EXPECTED: "changed",
        SAME: "hold",
    }
    counts = {verdict: _count(points, verdict) for verdict in words}
    return ", ".join(f"{counts[v]} {said}" for v, said in words.items() if counts[v])


def _count(points: Sequence[Difference], verdict: str) -> int:
    """How many points; one that stands for many of a topic says how many."""
    found = [one for one in points if one.verdict == verdict]
    if verdict == SAME:
        return sum(int(one.after) if one.subject == one.topic else 1 for one in found)
    return len(found)


def _telling(proof: Proof) -> str:
    worse = proof.worse
    if worse:
        data = sum(one.kind == DATA for one in worse)
        of_data = f", {data} of them of the data" if data else ""
        return f"■ {counted(len(worse), 'point')} worse than before{of_data}: {_named(worse[:3])}"
    if proof.not_read:
        return f"▲ {proof.words}: {_named(proof.not_read[:3])}"
    unexplained = _count(proof.differences, UNEXPLAINED)
    asks = f", {unexplained} that nothing explains" if unexplained else ""
    changed = _count(proof.differences, EXPECTED)
    return (
        f"● as good as before: {_count(proof.same, SAME)} hold, {changed} changed as planned{asks}"
    )

"""What stands in the way, as stones in the channel: by topic, so that one look tells where."""

from collections import Counter
from collections.abc import Sequence

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import GROUPS, Finding, Verdict
from brave_bridge.core.survey.rules import all_rules
from brave_bridge.drawings.chart import Bar, Chart, Lane, Mark
from brave_bridge.workbench.record import MachineRecord, Surveyed

LEGEND = (("■", "stands in the way"), ("▲", "wants a look"), ("━", "clear"))
_STONES = {Verdict.STOP: ("■", "stop"), Verdict.CAUTION: ("▲", "caution")}
_MOST_STONES = 14
_STEP = 0.032


def survey_picture(surveyed: Surveyed) -> Chart:
    """A lane for each topic with stones in it, the gravest first; what is clear in one."""
    topics = topics_of(surveyed.findings)
    lanes, clear = [], 0
    for group, found in topics.items():
        grave = [one for one in found if one[1].verdict in _STONES]
        clear += sum(one.verdict is Verdict.CLEAR for _, one in found)
        if grave:
            lanes.append((_gravity(grave), _lane(group, grave)))
    lanes.sort(key=lambda lane: lane[0])
    free = [
        group for group, found in topics.items() if not any(f.verdict in _STONES for _, f in found)
    ]
    last = Lane(
        "", "clear water", (Bar(0.0, 1.0, "dotted", "quiet"),), note=f"{clear} points", tone="quiet"
    )
    return Chart(
        title="What stands in the way",
        lanes=(*(lane for _, lane in lanes), last),
        telling=telling(surveyed, topics, len(free)),
        legend=LEGEND,
    )


def topics_of(findings: Sequence[Finding]) -> dict[str, list[tuple[int, Finding]]]:
    """The findings with their numbers, by the group of their rule, in the order of groups."""
    groups = {rule.id: rule.group for rule in all_rules()}
    found: dict[str, list[tuple[int, Finding]]] = {group: [] for group in GROUPS}
    for number, finding in enumerate(findings):
        found.setdefault(groups.get(finding.id, "leg"), []).append((number, finding))
    return {group: rows for group, rows in found.items() if rows}


def telling(surveyed: Surveyed, topics: dict[str, list[tuple[int, Finding]]], free: int) -> str:
    """How many things are in the way, and about what."""
    grave = [f for f in surveyed.findings if f.verdict is Verdict.STOP]
    if not grave:
        return f"● nothing stands in the way; {counted(free, 'topic')} without a stone"
    about = [
        group
        for group, found in topics.items()
        if any(finding.verdict is Verdict.STOP for _, finding in found)
    ]
    return f"■ {counted(len(grave), 'thing')} in the way, about {' and '.join(about[:4])}"


def _gravity(grave: list[tuple[int, Finding]]) -> tuple[int, int]:
    stops = sum(finding.verdict is Verdict.STOP for _, finding in grave)
    return (-stops, -len(grave))


def _lane(group: str, grave: list[tuple[int, Finding]]) -> Lane:
    ordered = sorted(grave, key=lambda one: one[1].verdict.gravity)
    stops = sum(finding.verdict is Verdict.STOP for _, finding in ordered)
    marks = [
        Mark(0.01 + _STEP * at, *_STONES[finding.verdict])
        for at, (_, finding) in enumerate(ordered[:_MOST_STONES])
    ]
    first = ordered[0][1]
    end = 0.01 + _STEP * len(marks)
    marks.append(Mark(end, " ", "quiet", first.title))
    keys = tuple(f"{finding.id}:{number}" for number, finding in ordered)
    counts = ((stops, "■"), (len(ordered) - stops, "▲"))
    return Lane(
        key=keys[0],
        rows=keys,
        name=group,
        marks=tuple(marks),
        note=" ".join(f"{count} {mark}" for count, mark in counts if count),
        tone="stop" if stops else "caution",
    )


def fleet_topics(records: Sequence[MachineRecord]) -> Chart:
    """Topics by machines: where the same thing stands in the way of many."""
    lanes, held = [], {verdict: Counter[str]() for verdict in _STONES}
    for record in records:
        if record.surveyed is None:
            continue
        worst = _worst_by_topic(record.surveyed.findings)
        for group, verdict in worst.items():
            if verdict in held:
                held[verdict][group] += 1
        marks = []
        for at, group in enumerate(GROUPS):
            known = worst.get(group)
            symbol, tone = _STONES.get(known, ("·", "quiet")) if known else (" ", "quiet")
            marks.append(Mark((at + 0.5) / len(GROUPS), symbol, tone))
        lanes.append(Lane(record.name, record.name, marks=tuple(marks)))
    ticks = tuple(((at + 0.5) / len(GROUPS), group) for at, group in enumerate(GROUPS))
    return Chart(
        "Topics by machines",
        tuple(lanes),
        ticks,
        telling=_fleet_telling(held),
        legend=LEGEND,
    )


def _fleet_telling(held: dict[Verdict, Counter[str]]) -> str:
    """Where the same thing holds most machines up."""
    for verdict, words in ((Verdict.STOP, "stands in the way"), (Verdict.CAUTION, "wants a look")):
        if held[verdict]:
            topics = ", ".join(f"{group} on {n}" for group, n in held[verdict].most_common(4))
            return f"{verdict.mark} {words}: {topics}"
    return "● nothing stands in the way of any machine"


def _worst_by_topic(findings: Sequence[Finding]) -> dict[str, Verdict]:
    return {
        group: min((finding.verdict for _, finding in found), key=lambda verdict: verdict.gravity)
        for group, found in topics_of(findings).items()
        if found
    }

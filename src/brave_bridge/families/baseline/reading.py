"""What the topics of a baseline share when they read."""

from collections.abc import Sequence

from brave_bridge.core.formats.text import one_line
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.machines.queries import Seen

AT_REST = "the system is mounted and does not run"
_MOST = 4000
"""Of one topic's names: more say no more to a person."""


def topic(name: str, values: dict[str, str], where: str) -> TopicSeen:
    """A topic that was read, its texts made safe to show."""
    kept = list(values.items())[:_MOST]
    return TopicSeen(name, {one_line(k, 160): one_line(v, 200) for k, v in kept}, where)


def absent(name: str, where: str, why: str) -> TopicSeen:
    """A topic that could not be read, with why."""
    return TopicSeen(name, {}, where, why)


def not_told(facts: Facts, seen: Seen, command: Sequence[str]) -> str:
    """Why a command told nothing; empty where it did."""
    if not facts.runs:
        return AT_REST
    answer = seen.answer(*command)
    if answer.took_too_long:
        return f"{command[0]} did not answer in time"
    if answer.code == 127:
        return f"{command[0]} is not installed"
    return "" if answer.ok else f"{command[0]} ended with {answer.code}"

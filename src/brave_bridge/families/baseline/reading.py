"""What the topics of a baseline share when they read."""

from collections.abc import Iterable, Sequence
from fnmatch import fnmatchcase

from brave_bridge.core.formats.text import one_line
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.machines.queries import Seen

AT_REST = "the system is mounted and does not run"
_MOST = 4000
"""Of one topic's names: more say no more to a person."""


def topic(
    name: str, values: dict[str, str], where: str, unanswered: str = "", longest: int = 200
) -> TopicSeen:
    """A topic that was read, its texts made safe to show; ``longest`` is that of its values."""
    kept = list(values.items())[:_MOST]
    told = {one_line(k, 160): one_line(v, longest) for k, v in kept}
    return TopicSeen(name, told, where, unanswered=one_line(unanswered, 200))


def absent(name: str, where: str, why: str) -> TopicSeen:
    """A topic of which there is nothing to read, with why."""
    return TopicSeen(name, {}, where, why)


def unread(name: str, where: str, why: str) -> TopicSeen:
    """A topic that is there and whose sources gave no answer."""
    why = one_line(why, 200)
    return TopicSeen(name, {}, where, why, why)


def no_answer(seen: Seen, *commands: Sequence[str]) -> str:
    """Which of the commands are there and told nothing, and why; empty where all did."""
    return "; ".join(filter(None, (_silence(seen, command) for command in commands)))


def not_read(seen: Seen, patterns: Iterable[str]) -> str:
    """Which files are there and could not be read, and why; empty where all were."""
    wanted = tuple(patterns)
    return "; ".join(
        f"{path}: {why}"
        for path, why in sorted(seen.faults.items())
        if any(fnmatchcase(path, pattern) for pattern in wanted)
    )


def not_told(facts: Facts, seen: Seen, command: Sequence[str]) -> str:
    """Why a command told nothing; empty where it did."""
    if not facts.runs:
        return AT_REST
    if seen.answer(*command).is_not_there:
        return f"{command[0]} is not installed"
    return no_answer(seen, command)


def _silence(seen: Seen, command: Sequence[str]) -> str:
    answer = seen.answer(*command)
    if answer.ok or answer.is_not_there:
        return ""
    if answer.took_too_long:
        return f"{command[0]} did not answer in time"
    return f"{command[0]} ended with {answer.code}"

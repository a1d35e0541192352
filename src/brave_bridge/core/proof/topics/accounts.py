"""Accounts: users and groups that are gone are worse; those of the system come and go."""

from collections.abc import Iterator

from brave_bridge.core.proof.around import Around, point
from brave_bridge.core.proof.difference import (
    EXPECTED,
    REGRESSION,
    SAME,
    SURFACE,
    UNEXPLAINED,
    Difference,
)
from brave_bridge.core.survey.topic import TopicSeen

_FIRST_PERSON = 1000
"""Numbers below are of the system itself (useradd(8), SYS_UID_MAX)."""


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description."""
    for name, old in before.values.items():
        now = after.values.get(name)
        if now == old:
            yield Difference(name, old, now, SAME, topic=before.name)
        elif now is None and (because := around.removal_of(name.partition(" ")[2])):
            yield point(before, name, old, "gone", EXPECTED, "with its package", because=because)
        elif now is None and (other := _renamed(name, old, before, after)):
            yield point(before, name, old, other, EXPECTED, f"it is called {other} now")
        elif now is None:
            yield _gone(before, name, old)
        elif name.startswith("group ") and _members(old) <= _members(now):
            yield point(before, name, old, now, EXPECTED)
        elif name.startswith("group "):
            lost = ", ".join(sorted(_members(old) - _members(now)))
            why = f"no longer in it: {lost}"
            yield point(before, name, old, now, REGRESSION, why, kind=SURFACE)
        else:
            yield point(before, name, old, now, UNEXPLAINED, "number, home or shell is another")
    for name, now in after.values.items():
        if name not in before.values:
            verdict = UNEXPLAINED if _is_person(now) and name.startswith("user ") else EXPECTED
            yield point(before, name, "not there", now, verdict)


def _gone(topic: TopicSeen, name: str, old: str) -> Difference:
    why = "it is not there any more"
    if not _is_person(old):
        return point(topic, name, old, "gone", UNEXPLAINED, why)
    return point(topic, name, old, "gone", REGRESSION, why, kind=SURFACE)


def _renamed(name: str, old: str, before: TopicSeen, after: TopicSeen) -> str:
    """A new name of the same kind that has the number of one that is gone."""
    kind, number = name.partition(" ")[0], old.partition(" ")[0]
    for other, value in after.values.items():
        is_new = other.startswith(f"{kind} ") and other not in before.values
        if is_new and value.partition(" ")[0] == number:
            return other
    return ""


def _is_person(value: str) -> bool:
    number = value.partition(" ")[0]
    return number.isdigit() and int(number) >= _FIRST_PERSON


def _members(value: str) -> set[str]:
    return set(filter(None, value.partition(" ")[2].split(",")))

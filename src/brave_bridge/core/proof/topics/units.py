"""Units: what started by itself and ran must run again, under its name or by what replaced it."""

from collections.abc import Iterator

from brave_bridge.core.proof.around import Around, point
from brave_bridge.core.proof.difference import (
    BETTER,
    DATA,
    EXPECTED,
    REGRESSION,
    SAME,
    SURFACE,
    UNEXPLAINED,
    Difference,
)
from brave_bridge.core.survey.activity import WHETHER_IT_STARTS
from brave_bridge.core.survey.topic import TopicSeen

_AT_WORK = ("running", "listening", "waiting", "mounted")
_KEEPS_DATA = ("sql", "tidebase", "db", "nfs", "smb", "samba", "store", "backup", "files")


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description."""
    for name, old in before.values.items():
        now = after.values.get(name, "gone")
        # Whether it starts by itself may be known of one side alone: that is no difference.
        old, now = _with_start_of(old, now), _with_start_of(now, old)
        yield _judged(name, old, now, before, after, around)
    for name, now in after.values.items():
        if name not in before.values:
            if now.startswith("failed"):
                why = "a unit that is new fails"
                yield point(before, name, "not there", now, REGRESSION, why, kind=SURFACE)
            elif _works(now):
                yield point(before, name, "not there", now, EXPECTED)


def _judged(
    name: str, old: str, now: str, before: TopicSeen, after: TopicSeen, around: Around
) -> Difference:
    if old == now or (_works(old) and _works(now) and _starts(old) == _starts(now)):
        return Difference(name, old, now, SAME, topic=before.name)
    kind = DATA if any(word in name for word in _KEEPS_DATA) else SURFACE
    if now.startswith("failed") and not old.startswith("failed"):
        return point(before, name, old, now, REGRESSION, "it fails now", kind=kind)
    if old.startswith("failed") and now != "gone":
        return point(before, name, old, now, BETTER, "it does not fail any more")
    if _works(old) and not _works(now):
        return _stopped(name, old, now, before, after, around, kind)
    if _starts(old) and not _starts(now):
        if now == "gone":
            return _stopped(name, old, now, before, after, around, kind)
        why = "it does not start by itself any more"
        return point(before, name, old, now, REGRESSION, why, kind=kind)
    if _works(now) and not _works(old):
        return point(before, name, old, now, BETTER, "it is at work now")
    return point(before, name, old, now, EXPECTED)


def _stopped(
    name: str,
    old: str,
    now: str,
    before: TopicSeen,
    after: TopicSeen,
    around: Around,
    kind: str,
) -> Difference:
    """What was at work is not: replaced, let go of by the plan, or worse."""
    stem, _, _ = name.rpartition(".")
    if _works(after.values.get(f"{stem}.socket", "")) and name.endswith(".service"):
        why = f"{stem}.socket waits in its place and starts it when somebody comes"
        return point(before, name, old, now, EXPECTED, why)
    if now == "gone" and (because := around.removal_of(stem)):
        return point(before, name, old, now, EXPECTED, "its package went", because=because)
    successor = _successor(stem, before, after, around) if now == "gone" else ""
    if successor:
        return point(before, name, old, successor, EXPECTED, f"{successor} does its work now")
    if not _starts(old):
        return point(before, name, old, now, UNEXPLAINED, "something else started it before")
    return point(before, name, old, now, REGRESSION, "it was at work and is not", kind=kind)


def _successor(stem: str, before: TopicSeen, after: TopicSeen, around: Around) -> str:
    """The new unit whose program answers where the one of before did (the same ports)."""
    old_ports, new_ports = around.topic("ports")
    mine = {port for port, program in old_ports.values.items() if _same(program, stem)}
    programs = {new_ports.values[port] for port in mine if new_ports.values.get(port)}
    new_units = [name for name in after.values if name not in before.values]
    for unit in new_units:
        if _works(after.values[unit]) and any(_same(p, unit.rpartition(".")[0]) for p in programs):
            return unit
    return ""


def _same(program: str, stem: str) -> bool:
    """Whether a unit is that of a program, by either name in the other."""
    return bool(program) and (program in stem or stem in program)


def _with_start_of(state: str, other: str) -> str:
    """A state of which nobody told whether it starts by itself, with what the other side says."""
    if WHETHER_IT_STARTS not in state:
        return state
    return state.partition(" ")[0] + (" enabled" if _starts(other) else "")


def _works(state: str) -> bool:
    return state.startswith("active/") and state.split()[0].rpartition("/")[2] in _AT_WORK


def _starts(state: str) -> bool:
    return state.endswith(" enabled")

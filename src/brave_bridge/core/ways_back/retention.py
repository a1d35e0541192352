"""Which snapshots may go, and why each of the others stays: rules as data."""

from collections.abc import Iterable
from datetime import datetime, timedelta

import msgspec


class Retention(msgspec.Struct, frozen=True, kw_only=True):
    """The rules. A rule that is 0 does not hold."""

    keep: int = 3
    """So many of the newest stay, whatever their age; at least one."""
    days_after_proof: int = 14
    """The way back of the last crossing stays so long after its proof passed."""
    least_free_percent: int = 0
    """With less room than this, the oldest go although they are among the newest."""


class Candidate(msgspec.Struct, frozen=True, kw_only=True):
    """A snapshot as the rules see it. Times are ISO 8601 in UTC."""

    id: str
    created: str
    number: int = 0
    """Its place in the order in which they were taken, whatever the clock said; 0: not known."""
    pinned: bool = False
    deadline: str = ""
    held: str = ""
    """Why only a person can decide: it is damaged, out of reach, or not understood."""
    last_crossing: bool = False
    """Whether it is the way back of the newest crossing."""
    proved: str = ""
    """When the proof of that crossing passed; empty where it did not."""


class Fate(msgspec.Struct, frozen=True):
    """What the rules say of a snapshot: whether it may go, and why or why not."""

    id: str
    goes: bool
    why: str


def fates(
    candidates: Iterable[Candidate], rules: Retention, now: str, free_percent: float = 100.0
) -> list[Fate]:
    """The fate of each snapshot, oldest first.

    The only whole one never goes, nor a pinned one. One that is held stays, and is neither
    newer nor older than another.
    """
    known = sorted(candidates, key=lambda candidate: (candidate.number, candidate.created))
    whole = [candidate for candidate in known if not candidate.held]
    newest = {candidate.id for candidate in whole[-max(rules.keep, 1) :]}
    short_of_room = bool(rules.least_free_percent) and free_percent < rules.least_free_percent
    found: list[Fate] = []
    left = len(whole)
    for candidate in known:
        goes, why = _judge(candidate, rules, now, candidate.id in newest, short_of_room)
        if goes:
            if left <= 1:
                goes, why = False, "it is the only way back"
            else:
                left -= 1
        found.append(Fate(candidate.id, goes, why))
    return found


def _judge(
    candidate: Candidate, rules: Retention, now: str, is_new: bool, short_of_room: bool
) -> tuple[bool, str]:
    if candidate.held:
        return False, candidate.held
    if candidate.pinned:
        return False, "it is pinned"
    if candidate.last_crossing:
        if not candidate.proved:
            return False, "the newest crossing is not proved for the last time yet"
        until = later(candidate.proved, rules.days_after_proof)
        if now < until:
            return False, f"the newest crossing was proved; it stays until {until[:10]}"
    if candidate.deadline and now >= candidate.deadline:
        return True, f"its deadline was {candidate.deadline[:10]}"
    if short_of_room:
        return True, f"less than {rules.least_free_percent} % of the disk is free"
    if is_new:
        return False, f"it is one of the {max(rules.keep, 1)} newest"
    return True, f"more than {max(rules.keep, 1)} newer ones are there"


def later(moment: str, days: int) -> str:
    """A moment some days later, ISO 8601 in UTC."""
    return (datetime.fromisoformat(moment) + timedelta(days=days)).isoformat(timespec="seconds")

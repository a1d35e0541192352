"""Policies: answers that hold for every machine of a fleet, kept with the person."""

import msgspec

from brave_bridge.core.packages.levels import PersonsWishes
from brave_bridge.store.writing import write_atomically
from brave_bridge.workbench.places import state_of_fleet
from brave_bridge.workbench.record import KeptPlan

_FILE = "policies.json"


class Policies(msgspec.Struct, frozen=True):
    """``answers`` maps the path of a config file to ``mine`` or ``theirs``."""

    answers: dict[str, str] = {}
    wishes: PersonsWishes = PersonsWishes()


def read_policies(kind: str) -> Policies:
    """The policies for machines of one kind of target; none where the file is damaged."""
    try:
        content = (state_of_fleet(kind) / _FILE).read_bytes()
        return msgspec.json.decode(content, type=Policies)
    except (OSError, msgspec.DecodeError):
        return Policies()


def keep_policies(kind: str, policies: Policies) -> None:
    """Write them in place of those before."""
    write_atomically(state_of_fleet(kind) / _FILE, msgspec.json.encode(policies))


def toggle_answer(kind: str, path: str, answer: str) -> bool:
    """Keep an answer for every machine, or no longer; whether it is kept now."""
    known = read_policies(kind)
    kept = known.answers.get(path) != answer
    answers = {other: a for other, a in known.answers.items() if other != path}
    if kept:
        answers[path] = answer
    keep_policies(kind, msgspec.structs.replace(known, answers=answers))
    return kept


def toggle_wish(kind: str, wish: str, slot: str) -> bool:
    """Keep a wish about a package for every machine, or no longer; whether it is kept now."""
    known = read_policies(kind)
    kept = slot not in getattr(known.wishes, wish)
    wishes = known.wishes.toggled(wish, slot)
    keep_policies(kind, msgspec.structs.replace(known, wishes=wishes))
    return kept


def answered(plan: KeptPlan, policies: Policies) -> KeptPlan:
    """A plan whose questions nobody answered yet are answered by policy."""
    legs = plan.legs
    for path, answer in policies.answers.items():
        legs = tuple(
            leg.with_answer(path, answer, "policy")
            if any(q.path == path and q.by == "default" for q in leg.questions)
            else leg
            for leg in legs
        )
    return msgspec.structs.replace(plan, legs=legs)

"""Policies: answers that hold for every machine of a fleet, kept with the person."""

from collections.abc import Callable, Iterator

import msgspec

from brave_bridge.core.packages.choices import KEPT, SOURCE_WORDS, PlanChoice, preferences_with
from brave_bridge.core.packages.preferences import (
    PREFERENCE_KINDS,
    PREFERENCE_WORDS,
    Preferences,
)
from brave_bridge.core.plan.exchange_steps import KEEP_ALL, KEPT_WORDS
from brave_bridge.machines.kept_record import KeptRecord
from brave_bridge.workbench.places import state_of_fleet
from brave_bridge.workbench.record import KeptPlan


class Policies(msgspec.Struct, frozen=True, rename={"preferences": "wishes"}):
    """``answers`` maps the path of a config file to ``mine`` or ``theirs``.

    In the file preferences keep the name that they had first.
    """

    answers: dict[str, str] = {}
    preferences: Preferences = Preferences()


POLICIES: KeptRecord[Policies] = KeptRecord("policies.json", Policies, Policies())


def read_policies(kind: str) -> Policies:
    """The policies for machines of one kind of target; none where the file is damaged."""
    return POLICIES.read(state_of_fleet(kind))


def change_policies(kind: str, change: Callable[[Policies], Policies]) -> Policies:
    """Change the policies as they are now."""
    return POLICIES.change(state_of_fleet(kind), change)


def toggle_answer(kind: str, path: str, answer: str) -> bool:
    """Keep an answer for every machine, or no longer; whether it is kept now."""

    def toggled(known: Policies) -> Policies:
        answers = {other: a for other, a in known.answers.items() if other != path}
        if known.answers.get(path) != answer:
            answers[path] = answer
        return msgspec.structs.replace(known, answers=answers)

    return path in change_policies(kind, toggled).answers


def toggle_preference(kind: str, preference: str, slot: str) -> bool:
    """Keep a preference about a package for every machine, or no longer; whether it is kept now."""

    def toggled(known: Policies) -> Policies:
        return msgspec.structs.replace(
            known, preferences=known.preferences.toggled(preference, slot)
        )

    return slot in getattr(change_policies(kind, toggled).preferences, preference)


def toggle_choice(kind: str, choice: PlanChoice) -> bool:
    """Keep the answer of a plan's choice for every machine, or no longer; whether it is kept."""

    def toggled(known: Policies) -> Policies:
        preferences = preferences_with(known.preferences, choice, choice.answer)
        if preferences == known.preferences:
            preferences = preferences_with(known.preferences, choice, choice.default)
        return msgspec.structs.replace(known, preferences=preferences)

    kept = change_policies(kind, toggled).preferences
    return kept == preferences_with(kept, choice, choice.answer)


class Policy(msgspec.Struct, frozen=True):
    """One policy as it is listed: what names it, what it is about, what holds."""

    key: str
    subject: str
    words: str


def listed_policies(policies: Policies) -> Iterator[Policy]:
    """Every policy, config files first."""
    for path, answer in sorted(policies.answers.items()):
        words = "your version stays" if answer == "mine" else "the new version is taken"
        yield Policy(f"config {path}", path, words)
    preferences = policies.preferences
    for kind in PREFERENCE_KINDS:
        for slot in sorted(getattr(preferences, kind)):
            yield Policy(f"{kind} {slot}", slot, PREFERENCE_WORDS[kind])
    for source, answer in sorted(preferences.sources.items()):
        yield Policy(f"source {source}", source, SOURCE_WORDS.get(answer, f"takes {answer}"))
    for component, chosen in sorted(preferences.channels.items()):
        yield Policy(f"channel {component}", component, f"{chosen} in its place")
    for unit in sorted(preferences.restart_later):
        yield Policy(f"restart {unit}", unit, "restarts when a leg is done")
    if preferences.keep != KEEP_ALL:
        yield Policy(f"{KEPT} upgrade", "upgrades from media", KEPT_WORDS[preferences.keep])


def forget_policy(kind: str, key: str) -> None:
    """Let a policy go: plans that are made from now on do not heed it."""
    change_policies(kind, lambda known: _without(known, key))


def _without(known: Policies, key: str) -> Policies:
    sort, _, subject = key.partition(" ")
    answers = {p: a for p, a in known.answers.items() if sort != "config" or p != subject}
    preferences = known.preferences
    if sort in PREFERENCE_KINDS:
        preferences = msgspec.structs.replace(
            preferences, **{sort: getattr(preferences, sort) - {subject}}
        )
    elif sort == "source":
        preferences = preferences.with_source(subject, "")
    elif sort == "channel":
        preferences = preferences.with_channel(subject, subject)
    elif sort == "restart":
        preferences = preferences.with_restart(subject, later=False)
    elif sort == KEPT:
        preferences = msgspec.structs.replace(preferences, keep=KEEP_ALL)
    return msgspec.structs.replace(known, answers=answers, preferences=preferences)


def answered_as_before(plan: KeptPlan, before: KeptPlan | None) -> KeptPlan:
    """A plan made anew with what the person had answered to the one before."""
    given = {
        question.path: question.answer
        for leg in (before.legs if before else ())
        for question in leg.configs.questions
        if question.by == "person"
    }
    legs = plan.legs
    for path, answer in given.items():
        legs = tuple(leg.with_answer(path, answer) for leg in legs)
    return msgspec.structs.replace(plan, legs=legs)


def answered(plan: KeptPlan, policies: Policies) -> KeptPlan:
    """A plan whose questions nobody answered yet are answered by policy."""
    legs = plan.legs
    for path, answer in policies.answers.items():
        legs = tuple(
            leg.with_answer(path, answer, "policy")
            if any(q.path == path and q.by == "default" for q in leg.configs.questions)
            else leg
            for leg in legs
        )
    return msgspec.structs.replace(plan, legs=legs)

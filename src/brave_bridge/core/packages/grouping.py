"""The changes of a plan grouped by what they mean to the person, not by alphabet."""

from collections.abc import Iterator, Sequence

import msgspec

from brave_bridge.core.formats.text import counted
from brave_bridge.core.packages.changes import PackageChange, PackageChanges
from brave_bridge.core.packages.roles import Roles

BY_HAND, MATTERS, GONE, BASE = "by hand", "matters", "gone", "base"
SUCCEEDED = "succeeded"
KEPT_BACK, COMING, AHEAD, ORDINARY = "kept back", "new", "ahead", "ordinary"
PINNED = "pinned"


_MOST_UNFOLDED = 12


class ChangeGroup(msgspec.Struct, frozen=True):
    """Changes that mean the same. ``grave`` ones want a look, ``folded`` ones rarely do."""

    name: str
    words: str
    changes: tuple[PackageChange, ...]
    grave: bool = False
    folded: bool = False


def matters(change: PackageChange, roles: Roles) -> bool:
    """Whether an upgrade asks for something afterwards."""
    role = roles.of(change.name)
    return change.major or (role is not None and role.always)


def weighed(plan: PackageChanges, roles: Roles) -> PackageChanges:
    """The changes, those that are a jump by their role marked as major."""
    upgraded = tuple(
        msgspec.structs.replace(change, major=True)
        if roles.is_jump(change.name, change.old, change.new)
        else change
        for change in plan.upgraded
    )
    return msgspec.structs.replace(plan, upgraded=upgraded)


def restart_reasons_of(plan: PackageChanges, roles: Roles) -> tuple[str, ...]:
    """Why a plan's changes take effect only by a restart, a sentence for each role."""
    names: dict[str, list[str]] = {}
    for change in plan.arriving:
        role = roles.of(change.name)
        if role is not None and role.restart:
            names.setdefault(role.name, []).append(f"{change.name} {change.new}")
    return tuple(f"{role} changes: {', '.join(found[:3])}" for role, found in names.items())


def group_changes(plan: PackageChanges, roles: Roles) -> list[ChangeGroup]:
    """The groups that have something in them, in the order in which they want to be read."""
    upgraded: dict[str, list[PackageChange]] = {}
    for change in plan.upgraded:
        upgraded.setdefault(_kind(change, roles), []).append(change)
    rows = (
        (GONE, "that would go away", plan.lost, True),
        (KEPT_BACK, "kept back", plan.kept_back, True),
        (PINNED, "that a pin keeps as they are", plan.pinned, True),
        (MATTERS, "whose change matters", upgraded.get(MATTERS, ()), False),
        (AHEAD, "newer here than there", plan.ahead, True),
        (BY_HAND, "that you installed by hand, upgraded", upgraded.get(BY_HAND, ()), False),
        (COMING, "that would be new", plan.new, False),
        (SUCCEEDED, "that give way to a successor", plan.succeeded, False),
        (BASE, "of the base system, upgraded", upgraded.get(BASE, ()), False),
        (ORDINARY, "upgraded beside these", upgraded.get(ORDINARY, ()), False),
    )
    return [
        ChangeGroup(
            name,
            f"{counted(len(changes), 'package')} {words}",
            tuple(_chosen_first(changes)),
            grave,
            folded=name in (SUCCEEDED, BASE, ORDINARY) or is_long(name, changes),
        )
        for name, words, changes, grave in rows
        if changes
    ]


def is_long(name: str, changes: Sequence[PackageChange]) -> bool:
    """Whether what rarely wants a look would stand in the way of what does."""
    return name in (BY_HAND, COMING) and len(changes) > _MOST_UNFOLDED


def _kind(change: PackageChange, roles: Roles) -> str:
    """What an upgrade means to the person."""
    if matters(change, roles):
        return MATTERS
    if change.base:
        return BASE
    return BY_HAND if change.is_chosen else ORDINARY


def _chosen_first(changes: Sequence[PackageChange]) -> Iterator[PackageChange]:
    yield from (change for change in changes if change.is_chosen)
    yield from (change for change in changes if not change.is_chosen)

"""Having apt do exactly one plan: what it may choose from, and what is asked for."""

from collections.abc import Iterator

from brave_bridge.core.packages.changes import PackageChanges

_NOTHING_ELSE = "Package: *\nPin: release *\nPin-Priority: -1\n"


def stages_of(changes: PackageChanges) -> tuple[PackageChanges, PackageChanges]:
    """The part of a plan that removes nothing and adds nothing, and what is left behind it.

    Only the first says what stays: the second is carried out among what the whole plan chooses.
    """
    names = set(changes.first_stage)
    first = tuple(change for change in changes.upgraded if change.name in names)
    later = tuple(change for change in changes.upgraded if change.name not in names)
    stays = changes.unchanged | {change.name: change.old for change in later + changes.removed}
    return (
        PackageChanges(upgraded=first, unchanged=stays),
        PackageChanges(upgraded=later, new=changes.new, removed=changes.removed),
    )


def preferences(changes: PackageChanges) -> str:
    """Preferences (apt_preferences(5)) by which apt can choose the plan's versions alone.

    What stays is named too: apt takes a package without a candidate for one that may go.
    """
    chosen = changes.unchanged | {change.name: change.new for change in changes.arriving}
    return "\n".join([*(_pin(*one) for one in sorted(chosen.items())), _NOTHING_ELSE])


def _pin(slot: str, version: str) -> str:
    return f"Package: {slot}\nPin: version {version}\nPin-Priority: 1001\n"


def wanted(changes: PackageChanges) -> Iterator[str]:
    """The words of ``apt-get install`` (apt-get(8)) that name every change of a plan."""
    for change in changes.arriving:
        yield f"{change.name}={change.new}"
    for change in changes.removed:
        yield f"{change.name}-"


def not_by_hand(changes: PackageChanges) -> tuple[str, ...]:
    """The packages that asking for the plan would mark as asked for, though nobody did."""
    return tuple(change.name for change in changes.arriving if not change.by_hand)

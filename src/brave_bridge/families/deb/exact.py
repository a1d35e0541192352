"""Asking apt for exactly one plan: what it may choose from, and what is asked for."""

from collections.abc import Iterator

from brave_bridge.core.planning.package_plan import PackagePlan

_NOTHING_ELSE = "Package: *\nPin: release *\nPin-Priority: -1\n"


def preferences(plan: PackagePlan) -> str:
    """Preferences (apt_preferences(5)) by which apt can choose the plan's versions alone."""
    chosen = (
        f"Package: {slot}\nPin: version {version.version}\nPin-Priority: 1001\n"
        for slot, version in sorted(plan.after.items())
    )
    return "\n".join([*chosen, _NOTHING_ELSE])


def wanted(plan: PackagePlan) -> Iterator[str]:
    """The words of ``apt-get install`` (apt-get(8)) that name every change of a plan."""
    for slot in (*plan.upgraded, *plan.new):
        yield f"{slot}={plan.after[slot].version}"
    for slot in plan.removed:
        yield f"{slot}-"

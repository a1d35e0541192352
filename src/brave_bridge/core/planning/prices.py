"""What keeping a package costs the others, so that a person can decide whether it is worth it."""

from collections import Counter
from collections.abc import Iterable

import msgspec

from brave_bridge.core.packages.changes import Price
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.planning.explanation import HELD, STAYS, Explainer
from brave_bridge.core.planning.package_plan import PackagePlan
from brave_bridge.core.planning.planner import plan_packages
from brave_bridge.core.planning.universe import Universe

_ASKED, _NAMED = 40, 3


def prices(universe: Universe, plan: PackagePlan, explainer: Explainer) -> list[Price]:
    """The packages installed by hand whose keeping holds others back, the dearest first."""
    found = []
    for slot in _culprits(plan, explainer):
        preferences = plan.preferences
        other = plan_packages(
            universe, msgspec.structs.replace(preferences, let_go=preferences.let_go | {slot})
        )
        price = price_of(plan, other, slot)
        if price.freed and slot in other.removed:
            found.append(price)
    return sorted(found, key=lambda price: -len(price.freed))


def price_of(plan: PackagePlan, other: PackagePlan, slot: str) -> Price:
    """What another plan without a package gains and loses."""
    freed = set(plan.kept_back) - set(other.kept_back) - set(other.removed)
    return Price(slot, tuple(sorted(freed)), tuple(sorted(set(other.removed) - set(plan.removed))))


def keeping(universe: Universe, plan: PackagePlan, slots: Iterable[str]) -> PackagePlan:
    """The plan that keeps packages which this one would lose: what it costs is the difference."""
    preferences: Preferences = plan.preferences
    protect = preferences.protect | frozenset(slots)
    return plan_packages(universe, msgspec.structs.replace(preferences, protect=protect))


def _culprits(plan: PackagePlan, explainer: Explainer) -> list[str]:
    """The hand-installed packages that reasons for keeping others back name most often."""
    count: Counter[str] = Counter()
    kept = plan.kept_back
    for slot in kept[:: max(1, len(kept) // _ASKED)]:
        for fact in explainer.why_kept(slot).facts:
            present = plan.before.get(fact.version.slot)
            if fact.kind in (STAYS, HELD) and present is not None and present.by_hand:
                count[fact.version.slot] += 1
    return [slot for slot, _ in count.most_common(_NAMED)]

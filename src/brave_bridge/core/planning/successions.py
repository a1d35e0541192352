"""Families of packages that carry a version in their names, whose next one does not come by itself.

``php7.4-cli`` and ``libapache2-mod-php7.4`` are of one family; its next is ``php8.2``, where the
release has names that differ in nothing but that. No package says so of itself.
"""

import re
from collections import Counter
from collections.abc import Iterable, Iterator

import msgspec

from brave_bridge.core.packages.changes import Succession
from brave_bridge.core.planning.package_plan import PackagePlan
from brave_bridge.core.planning.universe import Universe

_VERSION = re.compile(r"\d+(?:\.\d+)*")
_PRODUCT = re.compile(r"[a-z][a-z+]*-?$")


class _Form(msgspec.Struct, frozen=True):
    """A name with one of its numbers taken for a version."""

    around: tuple[str, str]
    product: str
    version: str

    @property
    def family(self) -> str:
        """What the version is one of."""
        return f"{self.product}{self.version}"

    @property
    def key(self) -> tuple[int, ...]:
        """The version as it is ordered."""
        return tuple(map(int, self.version.split(".")))


def successions(universe: Universe, plan: PackagePlan) -> Iterator[Succession]:
    """The families of which something goes, or stays without a source, and whose next is there.

    Of each only where somebody asked for one of its packages, and something of it would be missed.
    """
    families: dict[str, dict[str, _Form]] = {}
    for slot in _left_behind(universe, plan):
        for form in _forms(plan.before[slot].package.name):
            families.setdefault(form.family, {})[slot] = form
    families = {
        family: members
        for family, members in families.items()
        if any(plan.before[slot].by_hand for slot in members)
    }
    offered = _offered(universe.archive.names(), families.values()) if families else {}
    for family, members in families.items():
        if found := _succession(family, members, offered, plan):
            yield found


def _left_behind(universe: Universe, plan: PackagePlan) -> Iterator[str]:
    for slot, one in plan.before.items():
        stays = plan.after.get(slot)
        if stays is None or (stays is one.package and stays.name not in universe.archive):
            yield slot


def _forms(name: str) -> Iterator[_Form]:
    for number in _VERSION.finditer(name):
        before, after = name[: number.start()], name[number.end() :]
        if product := _PRODUCT.search(before):
            yield _Form((before, after), product[0], number[0])


def _offered(
    names: Iterable[str], families: Iterable[dict[str, _Form]]
) -> dict[tuple[str, str], dict[str, _Form]]:
    """What a release has that differs from these in the version alone: version to form."""
    wanted = {form.around for members in families for form in members.values()}
    found: dict[tuple[str, str], dict[str, _Form]] = {around: {} for around in wanted}
    beginnings = tuple({before for before, _ in wanted})
    for name in names:
        if name.startswith(beginnings):
            for form in _forms(name):
                if form.around in found:
                    found[form.around][form.version] = form
    return found


def _succession(
    family: str,
    members: dict[str, _Form],
    offered: dict[tuple[str, str], dict[str, _Form]],
    plan: PackagePlan,
) -> Succession | None:
    """The next of a family: the version that has the most of it, the newest of several such."""
    counts: Counter[tuple[tuple[int, ...], str]] = Counter()
    for form in members.values():
        for other in offered[form.around].values():
            if other.key > form.key:
                counts[other.key, other.version] += 1
    if not counts:
        return None
    _, version = max(counts, key=lambda one: (counts[one], one[0]))
    coming = {
        slot: f"{form.around[0]}{version}{form.around[1]}"
        for slot, form in members.items()
        if version in offered[form.around]
    }
    if all(name in plan.after and name not in plan.preferences.add for name in coming.values()):
        return None
    product = next(iter(members.values())).product
    return Succession(family, f"{product}{version}", tuple(sorted(coming.items())))

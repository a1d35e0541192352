"""A machine's other identity: a product that stands on the release of a base."""

from collections.abc import Iterable

import msgspec

from brave_bridge.core.releases.catalogue import Leg, Product, Release, ReleaseLine
from brave_bridge.core.releases.standing import Standing
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.versions.evr import split_evr


class ProductSeen(msgspec.Struct, frozen=True):
    """A product that a machine has. ``release`` is None where its line knows none such."""

    line: ReleaseLine
    version: str
    release: Release | None

    @property
    def packages(self) -> tuple[str, ...]:
        """The packages that show it."""
        return self.line.product.packages if self.line.product else ()

    @property
    def title(self) -> str:
        """As a person says it: ``Boathouse 7``."""
        return f"{self.line.name} {self.release.title if self.release else self.version}"


def products_on(
    facts: Facts, base: ReleaseLine, lines: Iterable[ReleaseLine]
) -> tuple[ProductSeen, ...]:
    """The products of these lines that a machine with that base has."""
    found = []
    for line in lines:
        if line.product is not None and line.product.on == base.id:
            standing = standing_of(line.product, line.id, facts)
            if standing.value:
                found.append(ProductSeen(line, standing.value, line.stop_at(standing)))
    return tuple(found)


def standing_of(product: Product, scale: str, facts: Facts) -> Standing:
    """Where a machine stands by a product's packages; an empty value where it has none."""
    versions = {package.name: package.version for package in facts.installed}
    known = next((versions[name] for name in product.packages if name in versions), "")
    return Standing(scale, split_evr(known)[1] if known else "")


def standing_for(leg: Leg, facts: Facts) -> Standing:
    """Where a machine stands on the scale of a leg."""
    if leg.product is not None:
        return standing_of(leg.product, leg.scale, facts)
    return facts.standing(leg.scale)

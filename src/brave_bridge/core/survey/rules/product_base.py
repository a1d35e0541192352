"""Does a product that stands on the release go along?"""

from brave_bridge.core.releases.catalogue import Release
from brave_bridge.core.releases.standing import RELEASE
from brave_bridge.core.survey.findings import Finding, Situation, caution, clear, rule, stop
from brave_bridge.core.survey.products import ProductSeen


@rule(
    "product-base",
    "release",
    asks="Do product and base release fit each other after the leg?",
    means="A product that does not stand on the base beneath it gets no fixes, or does not start.",
    overrule=True,
)
def product_base(situation: Situation):
    for product in situation.products:
        yield from _judged(situation, product)


def _judged(situation: Situation, product: ProductSeen):
    leg, line = situation.leg, situation.line
    source = product.line.source or f"catalogue of {product.line.name}"
    if leg is None or line is None or leg.scale not in (RELEASE, product.line.scale):
        yield clear(f"{product.title} stands on {line.name if line else 'its base'}", source)
    elif product.release is None:
        yield caution(
            f"Nobody knows which releases of {line.name} {product.title} stands on",
            source,
            f"Look at what the makers of {product.line.name} say of {leg.end.title}.",
        )
    elif leg.scale == RELEASE:
        yield _on_new_base(situation, product, product.release, leg.end)
    else:
        title = f"{product.line.name} {leg.end.title} stands on {line.name}"
        yield clear(title, f"{source}: releases {', '.join(leg.end.bases) or 'all'}")


def _on_new_base(
    situation: Situation, product: ProductSeen, here: Release, end: Release
) -> Finding:
    """What a leg of the base means for a product."""
    key, base = end.key, f"{situation.line.name if situation.line else ''} {end.title}".strip()
    source = product.line.source or f"catalogue of {product.line.name}"
    evidence = f"{source}: it stands on {', '.join(here.bases) or 'every release'}"
    if not here.bases or key in here.bases:
        return clear(f"{product.title} stands on {base}, too", evidence)
    brought = _brought_along(product, here, key)
    if brought is not None:
        held = [p.name for p in situation.facts.held if p.name in product.packages]
        words = f"{product.title} goes to {brought.title} with the leg"
        if not held:
            return clear(words, evidence)
        let_go = situation.manager.let_go
        return caution(
            f"{words}, but {held[0]} is held",
            evidence,
            f"Let it go: {' '.join((*let_go, *held))}" if let_go else "Let it go.",
            fix=((*let_go, *held),) if let_go else (),
            meaning=f"{product.title} does not stand on {base}.",
        )
    between = _stop_for_both(product, here, situation.release, key)
    remedy = f"See what the makers of {product.line.name} say; none of its releases is known to."
    if between is not None:
        remedy = f"Take it to {between.title} first: brave-bridge plan --to {between.key}"
    return stop(f"{product.title} does not stand on {base}", evidence, remedy)


def _brought_along(product: ProductSeen, here: Release, base: str) -> Release | None:
    """The product's release that a leg of the base to that release brings."""
    for one in product.line.legs:
        end = product.line.release(one.end)
        if one.with_base and one.start == here.key and end and (not end.bases or base in end.bases):
            return end
    return None


def _stop_for_both(
    product: ProductSeen, here: Release, base: Release | None, key: str
) -> Release | None:
    """A release that a leg leads to from here, and that stands on the base now and then."""
    ends = [product.line.release(one.end) for one in product.line.legs if one.start == here.key]
    wanted = {key, base.key if base else key}
    return next((end for end in ends if end and (not end.bases or wanted <= {*end.bases})), None)

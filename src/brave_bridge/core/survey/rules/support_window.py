"""Does the present release still get fixes?"""

from brave_bridge.core.releases.catalogue import Release, ReleaseLine
from brave_bridge.core.releases.conditions import FULL, PAID
from brave_bridge.core.survey.findings import (
    Finding,
    Situation,
    caution,
    clear,
    not_applicable,
    rule,
)

SOON_DAYS = 120


@rule(
    "support-window",
    "release",
    asks="Does the present release still get fixes?",
    means="Each further day on a release without fixes adds known faults that stay open.",
)
def support_window(situation: Situation):
    if situation.release is not None and situation.line is not None:
        yield _judged(situation, situation.release, situation.line, situation.release.title)
    for product in situation.products:
        if product.release is not None:
            yield _judged(situation, product.release, product.line, product.title)


def _judged(situation: Situation, release: Release, line: ReleaseLine, title: str) -> Finding:
    """What is to be said of the support of a release, which ``title`` names."""
    source = release.source or line.source or f"catalogue of {line.name}"
    days, ends = release.support_days(situation.today), str(release.support_ends)
    if days is None and situation.facts.identity.support_end and not line.product:
        ends, source = situation.facts.identity.support_end, "SUPPORT_END in os-release"
        past = situation.days_since(ends)
        days = None if past is None else -past
    if days is None:
        words = "has no end: it is rolling" if line.rolling else "has no known end"
        return not_applicable(f"The support of {title or line.name} {words}", source)
    evidence = f"{source}: support ends {ends}"
    if release.phases:
        told = ", ".join(f"{phase.kind} to {phase.ends}" for phase in release.phases)
        evidence += f" ({told})"
    phase = release.phase(situation.today)
    if days < 0 and phase is not None and phase.kind == PAID:
        return caution(
            f"{title} has {phase.words}, until {phase.ends}",
            evidence,
            "Cross to a supported release, or see that the machine is paid for.",
            meaning=f"Without that no fix has come for {-days} days.",
        )
    if days < 0:
        return caution(
            f"{title} has had no security fixes for {-days} days",
            evidence,
            "Cross to a supported release.",
        )
    if days <= SOON_DAYS:
        return caution(
            f"{days} days of support left for {title}",
            evidence,
            "Plan the leg now.",
            meaning="There is still time to rehearse and to choose the day.",
        )
    if phase is not None and phase.kind != FULL:
        return clear(f"{title} has {phase.words}, until {phase.ends}", evidence)
    return clear(f"{title} is supported for another {days // 30} months", evidence)

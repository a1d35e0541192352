"""Does the present release still get fixes?"""

from brave_bridge.core.releases.conditions import FULL, PAID
from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule

SOON_DAYS = 120


@rule(
    "support-window",
    "release",
    asks="Does the present release still get fixes?",
    means="Each further day on a release without fixes adds known faults that stay open.",
)
def support_window(situation: Situation):
    release, line = situation.release, situation.line
    if release is None or line is None:
        return
    source = release.source or line.source or f"catalogue of {line.name}"
    days, ends = release.support_days(situation.today), str(release.support_ends)
    if days is None and situation.facts.identity.support_end:
        ends, source = situation.facts.identity.support_end, "SUPPORT_END in os-release"
        past = situation.days_since(ends)
        days = None if past is None else -past
    if days is None:
        words = "has no end: it is rolling" if line.rolling else "has no known end"
        yield not_applicable(f"The support of {release.title or line.name} {words}", source)
        return
    evidence = f"{source}: support ends {ends}"
    if release.phases:
        told = ", ".join(f"{phase.kind} to {phase.ends}" for phase in release.phases)
        evidence += f" ({told})"
    phase = release.phase(situation.today)
    if days < 0 and phase is not None and phase.kind == PAID:
        yield caution(
            f"{release.title} has {phase.words}, until {phase.ends}",
            evidence,
            "Cross to a supported release, or see that the machine is paid for.",
            meaning=f"Without that no fix has come for {-days} days.",
        )
    elif days < 0:
        yield caution(
            f"{release.title} has had no security fixes for {-days} days",
            evidence,
            "Cross to a supported release.",
        )
    elif days <= SOON_DAYS:
        yield caution(
            f"{days} days of support left for {release.title}",
            evidence,
            "Plan the leg now.",
            meaning="There is still time to rehearse and to choose the day.",
        )
    elif phase is not None and phase.kind != FULL:
        yield clear(f"{release.title} has {phase.words}, until {phase.ends}", evidence)
    else:
        yield clear(f"{release.title} is supported for another {days // 30} months", evidence)

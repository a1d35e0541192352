"""Does the present release still get fixes?"""

from collections.abc import Iterable

from brave_bridge.core.survey.findings import Finding, Rule, Situation, Verdict

SOON_DAYS = 120


def judge(situation: Situation) -> Iterable[Finding]:
    release, line = situation.release, situation.line
    if release is None or line is None:
        return
    days = release.support_days(situation.today)
    if days is None:
        yield Finding(
            "support-window",
            Verdict.NOT_APPLICABLE,
            f"No end of support is known for {release.title}",
            f"catalogue of {line.name}: no date",
        )
        return
    evidence = f"catalogue of {line.name}: support ends {release.support_ends}"
    if days < 0:
        yield Finding(
            "support-window",
            Verdict.CAUTION,
            f"{release.title} has had no security fixes for {-days} days",
            evidence,
            "Each further day on it adds known, unfixed faults.",
            "Cross to a supported release.",
        )
    elif days <= SOON_DAYS:
        yield Finding(
            "support-window",
            Verdict.CAUTION,
            f"{days} days of support left for {release.title}",
            evidence,
            "There is still time to rehearse and to choose the day.",
            "Plan the leg now.",
        )
    else:
        yield Finding(
            "support-window",
            Verdict.CLEAR,
            f"{release.title} is supported for another {days // 30} months",
            evidence,
        )


RULE = Rule("support-window", "the present release still gets fixes", judge)

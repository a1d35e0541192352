"""Do the sources name the release, or an alias that moves by itself?"""

from collections.abc import Iterable

from brave_bridge.core.survey.findings import Finding, Rule, Situation, Verdict

ALIASES = ("stable", "oldstable", "oldoldstable", "testing", "latest")


def judge(situation: Situation) -> Iterable[Finding]:
    moving = [
        f"{entry.path}:{entry.line} {suite}"
        for entry in situation.facts.sources
        for suite in entry.suites
        if suite.partition("-")[0].partition("/")[0] in ALIASES
    ]
    if moving:
        yield Finding(
            "moving-alias",
            Verdict.CAUTION,
            "A source names an alias that moves to the next release by itself",
            "; ".join(moving[:4]),
            "A plain refresh can start a release change without a way back.",
            "Write the codename instead of the alias.",
        )
    else:
        yield Finding(
            "moving-alias",
            Verdict.CLEAR,
            "Every source names its release",
            situation.facts.where("sources"),
        )


RULE = Rule("moving-alias", "sources name a codename, not a moving alias", judge, needs="sources")

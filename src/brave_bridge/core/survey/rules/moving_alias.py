"""Do the sources name the release, or an alias that moves by itself?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule

ALIASES = ("stable", "oldstable", "oldoldstable", "testing", "unstable", "latest")


@rule(
    "moving-alias",
    "sources",
    asks="Do the sources name the release, or an alias that moves by itself?",
    means="A plain refresh can start a release change without a way back.",
    needs="sources",
)
def moving_alias(situation: Situation):
    if situation.line is not None and situation.line.rolling:
        yield not_applicable("A rolling line moves by its nature", situation.line.name)
        return
    moving = [
        f"{entry.path}:{entry.line} {suite}"
        for entry in situation.facts.sources
        for suite in entry.suites
        if suite.partition("-")[0].partition("/")[0] in ALIASES
    ]
    if moving:
        yield caution(
            "A source names an alias that moves to the next release by itself",
            "; ".join(moving[:4]),
            "Write the codename instead of the alias.",
        )
    else:
        yield clear("Every source names its release", situation.facts.where("sources"))

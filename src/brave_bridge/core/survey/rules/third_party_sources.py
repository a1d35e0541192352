"""Does software come from anywhere but the distribution?"""

from collections.abc import Iterable

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Finding, Rule, Situation, Verdict
from brave_bridge.core.survey.vendor import is_third_party


def judge(situation: Situation) -> Iterable[Finding]:
    line, facts = situation.line, situation.facts
    if line is None:
        return
    foreign = [
        entry
        for entry in facts.sources
        if is_third_party(entry, line.origin, line.archive_paths, facts.archives)
    ]
    if foreign:
        yield Finding(
            "third-party-sources",
            Verdict.CAUTION,
            f"{counted(len(foreign), 'source')} outside the distribution",
            "; ".join(f"{e.path}:{e.line} {e.uris[0]}" for e in foreign[:4]),
            "Each is checked for the new release; one that does not have it is paused.",
            "Ask its vendor whether it supports the new release.",
        )
    else:
        yield Finding(
            "third-party-sources",
            Verdict.CLEAR,
            f"All sources are {line.name}'s own",
            facts.where("sources"),
        )


RULE = Rule("third-party-sources", "all sources are the distribution's own", judge, needs="sources")

"""Does software come from anywhere but the distribution?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Situation, caution, clear, rule
from brave_bridge.core.survey.vendor import is_third_party


@rule(
    "third-party-sources",
    "sources",
    asks="Does software come from anywhere but the distribution?",
    means="Each is checked for the new release; one that does not have it is paused.",
    needs="sources",
)
def third_party_sources(situation: Situation):
    line, facts = situation.line, situation.facts
    if line is None or not line.archive_paths:
        return
    foreign = [
        entry
        for entry in facts.sources
        if is_third_party(entry, line.origin, line.archive_paths, facts.archives)
    ]
    if foreign:
        yield caution(
            f"{counted(len(foreign), 'source')} outside the distribution",
            "; ".join(f"{e.path}:{e.line} {e.uris[0]}" for e in foreign[:4]),
            "Ask its vendor whether it supports the new release.",
        )
    else:
        yield clear(f"All sources are {line.name}'s own", facts.where("sources"))

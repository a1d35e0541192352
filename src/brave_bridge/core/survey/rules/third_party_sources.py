"""Does software come from anywhere but the distribution?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule
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
    unread = [
        entry for entry in facts.sources if "deb" in entry.types and not facts.has_read(entry)
    ]
    if foreign:
        yield caution(
            f"{counted(len(foreign), 'source')} outside the distribution",
            "; ".join(f"{e.path}:{e.line} {e.uris[0]}" for e in foreign[:4]),
            "Ask its vendor whether it supports the new release.",
        )
    elif len(unread) == len(facts.sources):
        yield not_applicable("No source was ever fetched", "another point says more")
    elif unread:
        yield clear(
            f"All sources that were read are {line.name}'s own",
            f"{facts.where('sources')}; never read: "
            + "; ".join(f"{e.path}:{e.line} {e.uris[0]}" for e in unread[:4]),
        )
    else:
        yield clear(f"All sources are {line.name}'s own", facts.where("sources"))

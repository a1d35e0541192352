"""Could every source be reached?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule


@rule(
    "unread-sources",
    "sources",
    asks="Could every source be reached?",
    means="What it has is not known: updates of it are missed, and the leg may fail there.",
    needs="sources",
    half_way=True,
)
def unread_sources(situation: Situation):
    facts = situation.facts
    remedy = "Look for updates (u); check the address, the link and the proxy."
    if situation.failed_sources:
        failed = "; ".join(situation.failed_sources[:3])
        title = f"{counted(len(situation.failed_sources), 'source')} could not be reached"
        yield caution(title, f"at the newest refresh: {failed}", remedy)
        return
    if not facts.archives:
        yield not_applicable("No source was ever fetched", "another point says more")
        return
    unread = [
        f"{entry.path}:{entry.line} {uri} {suite}"
        for entry in facts.sources
        if "deb" in entry.types
        for uri in entry.uris
        for suite in entry.suites
        if not suite.endswith("/") and facts.archive_of(uri, suite) is None
    ]
    if unread:
        title = f"Nothing was ever fetched of {counted(len(unread), 'source')}"
        yield caution(title, "; ".join(unread[:4]), remedy, fix=situation.manager.refresh)
    else:
        yield clear("Every source was read", facts.where("sources"))

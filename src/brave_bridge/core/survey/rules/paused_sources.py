"""Do sources wait until they have this release?"""

from brave_bridge.core.formats.paused_sources import paused_among
from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import TAKE_UP_SOURCES, Situation, caution, clear, rule


@rule(
    "paused-sources",
    "sources",
    asks="Do sources wait until they have this release?",
    means="What came from them gets no updates until they are taken up again.",
    needs="sources",
)
def paused_sources(situation: Situation):
    facts = situation.facts
    waiting = paused_among(facts.source_files)
    if not waiting:
        yield clear("No source waits for a release", facts.where("sources"))
        return
    yield caution(
        f"{counted(len(waiting), 'source')} commented out until the release is there",
        "; ".join(
            f"{w.entry.path}:{w.entry.line} {w.entry.uris[0]}, since before {w.before}"
            for w in waiting[:4]
        ),
        "Ask whether it has the release by now (brave-bridge sources --take-up).",
        deed=TAKE_UP_SOURCES,
    )

"""Does software come from a source that is still on trial?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule


@rule(
    "trial-sources",
    "sources",
    asks="Does software come from a source that is still on trial?",
    means="What comes from there may be newer than what the next release has, and was tried by "
    "few; the next release's trial source is followed too.",
    needs="sources",
)
def trial_sources(situation: Situation):
    line, release, facts = situation.line, situation.release, situation.facts
    if line is None or release is None or not line.trial_suites:
        yield not_applicable("No source on trial is known for this system", "catalogue")
        return
    found = facts.sources_of(release.named(line.trial_suites))
    if found:
        yield caution(
            f"{counted(len(found), 'source')} on trial: what is there is not released yet",
            "; ".join(found[:4]),
            "Take it out before the leg unless you test for others; what it brought stays.",
        )
    else:
        yield clear("No source is on trial", facts.where("sources"))

"""Do fixes of security faults reach the machine?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule


@rule(
    "security-source",
    "sources",
    asks="Do fixes of security faults reach the machine?",
    means="Known faults stay open now, and the leg carries the lack over to the next release.",
    needs="sources",
)
def security_source(situation: Situation):
    line, release, facts = situation.line, situation.release, situation.facts
    if line is None or release is None or not line.security_suites:
        yield not_applicable("Fixes come with the release's own source", "catalogue")
        return
    named = release.named(line.security_suites)
    found = facts.sources_of(named)
    where = facts.where("sources")
    if found:
        yield clear("Fixes of security faults come from a source", "; ".join(found[:3]))
    elif release.is_closed(situation.today):
        yield not_applicable(f"{release.title} gets no fixes any more", "catalogue")
    else:
        usual = named[0]
        yield caution(
            f"No source has the security fixes of {release.title}",
            f"{where}: no {usual}",
            f"Add the suite {usual} of {line.name}'s archive, and look for updates (u).",
        )

"""Is anything newer here than in the sources, or in the release ahead?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Situation, caution, clear, rule
from brave_bridge.core.versions.deb import version_key


@rule(
    "newer-than-sources",
    "packages",
    asks="Is anything newer here than in the sources, or in the release ahead?",
    means="The package manager never goes back by itself: these stay, built for another system.",
    needs="indices",
)
def newer_than_sources(situation: Situation):
    plan = situation.plan
    where = situation.facts.where("indices")
    if plan is not None and plan.packages.ahead:
        names = ", ".join(f"{one.name} {one.old} (there: {one.new})" for one in plan.packages.ahead)
        yield caution(
            f"{counted(len(plan.packages.ahead), 'package')} newer than in {plan.leg.end.title}",
            f"the plan: {names[:300]}",
            "Decide whether to go back to the release's version before the leg.",
        )
        return
    found = list(_newer(situation))
    if found:
        names = ", ".join(f"{name} {here} (there: {there})" for name, here, there in found[:5])
        yield caution(
            f"{counted(len(found), 'package')} newer than in any source",
            f"{where}: {names}",
            "Find out where they came from.",
        )
    else:
        yield clear("Nothing is newer than its source", where)


def _newer(situation: Situation):
    newest: dict[str, str] = {}
    for offer in situation.facts.offers:
        known = newest.get(offer.name)
        if known is None or version_key(offer.version) > version_key(known):
            newest[offer.name] = offer.version
    for package in situation.facts.installed:
        there = newest.get(package.name)
        if there and version_key(package.version) > version_key(there):
            yield package.name, package.version, there

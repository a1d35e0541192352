"""Does every package come from a source that is still there?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Situation, caution, clear, rule
from brave_bridge.core.survey.own_parts import is_own_package


@rule(
    "unknown-origin",
    "packages",
    asks="Does every package come from a source that is still there?",
    means="Nobody mends these any more, and the leg can only leave them as they are or take "
    "them away.",
    needs="indices",
)
def unknown_origin(situation: Situation):
    facts = situation.facts
    known = {offer.name for offer in facts.offers}
    nowhere = [
        package
        for package in facts.installed
        if package.name not in known and not is_own_package(package.name)
    ]
    if not nowhere:
        yield clear("Every package comes from a known source", facts.where("indices"))
        return
    names = ", ".join(f"{package.name} {package.version}" for package in nowhere[:6])
    yield caution(
        f"{counted(len(nowhere), 'package')} that no source has",
        f"{facts.where('indices')}: {names}",
        "Find out who brought them; add their source, or remove what nobody needs.",
    )

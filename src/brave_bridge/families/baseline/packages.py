"""How many packages there are of each origin, and the versions of chosen tools."""

from collections import Counter

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import absent, topic
from brave_bridge.machines.queries import Seen

NAME = "packages"
QUERIES = ()
NO_SOURCE = "no source any more"


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description."""
    if not facts.installed:
        return absent(NAME, "", facts.why_not("packages") or "no package is known")
    offered = {(offer.name, offer.version): offer.origin for offer in facts.offers}
    counts = Counter(
        offered.get((package.name, package.version)) or package.vendor or NO_SOURCE
        for package in facts.installed
    )
    if facts.part != "package":
        values = {f"{facts.part}s": str(len(facts.installed))}
    else:
        values = {f"packages of {origin}": str(count) for origin, count in sorted(counts.items())}
    values |= {f"tool {name}": version for name, version in sorted(facts.tools.items())}
    return topic(NAME, values, facts.where(f"{facts.part}s"))

"""Does the next release exist for this architecture?"""

from brave_bridge.core.releases.open_legs import ARCHITECTURE
from brave_bridge.core.survey.findings import Situation, clear, not_applicable, rule, stop


@rule(
    "architecture",
    "hardware",
    asks="Does the next release exist for this architecture?",
    means="There is nothing to install: the leg cannot be carried out at all.",
)
def architecture(situation: Situation):
    have = situation.facts.identity.architecture
    where = situation.facts.where("identity")
    closed = next((leg for leg in situation.closed if leg.cause == ARCHITECTURE), None)
    if closed is not None:
        known = ", ".join(closed.end.needs.architectures)
        yield stop(
            closed.reason,
            f"catalogue: {known}" if known else "catalogue",
            "Stay on this release to the end of its support; then install anew for another one.",
        )
    elif have and situation.end and situation.end.needs.architectures:
        yield clear(f"{situation.end.title} exists for {have}", "catalogue")
    else:
        yield not_applicable(f"Nothing is known against {have or 'this architecture'}", where)

"""Is the leg open to this edition, and to the state that the present release is in?"""

from brave_bridge.core.releases.open_legs import EDITION, STATE
from brave_bridge.core.survey.findings import Situation, clear, not_applicable, rule, stop

_REMEDIES = {
    EDITION: "Go to an edition that the leg is for, or look for another way (Route).",
    STATE: "Bring the present release up to date first (u, or brave-bridge update).",
}


@rule(
    "leg-conditions",
    "release",
    asks="Is every leg open to this edition, and to this state of the present release?",
    means="The leg is supported under this condition only; it cannot be planned before.",
)
def leg_conditions(situation: Situation):
    where = situation.facts.where("identity")
    closed = next((leg for leg in situation.closed if leg.cause in _REMEDIES), None)
    if closed is not None:
        yield stop(
            f"{closed.start.title} to {closed.end.title}: {closed.reason}",
            f"catalogue; {where}",
            _REMEDIES[closed.cause],
        )
    elif situation.legs:
        yield clear("No leg asks for more than this machine is", "catalogue")
    else:
        yield not_applicable("There is no leg ahead", "catalogue")

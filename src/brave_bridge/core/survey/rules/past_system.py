"""Does the machine run its own system, or one of before that was started from the boot menu?"""

from brave_bridge.core.survey.findings import Situation, clear, rule, stop


@rule(
    "past-system",
    "way back",
    asks="Is this the machine's own system?",
    means="It is a past system, started beside the one of now: what is changed here is gone after "
    "the next restart, unless it is kept.",
    half_way=True,
)
def past_system(situation: Situation):
    past = situation.facts.boot.past
    if past:
        yield stop(
            f"The machine was started in its system as of {past}",
            "/.brave-bridge-past, and the root's subvolume",
            "Keep it: brave-bridge keep-past. Or restart into the system of now.",
        )
    else:
        yield clear("The machine runs its own system", "the root is no past system")

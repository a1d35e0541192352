"""Was a return cut off?"""

from brave_bridge.core.survey.findings import Situation, clear, rule, stop


@rule(
    "cut-off-return",
    "way back",
    asks="Was a return cut off before it was done?",
    means="The system is part what it was and part what it shall be again.",
    half_way=True,
)
def cut_off_return(situation: Situation):
    snapshot = situation.ways_back.cut_off
    if snapshot:
        yield stop(
            f"A return to {snapshot} was cut off",
            "its journal stands on the system's own disk",
            f"Run it again, it finishes what is missing: brave-bridge return {snapshot}",
        )
    else:
        yield clear("No return was cut off", "no journal of one on the system's disks")

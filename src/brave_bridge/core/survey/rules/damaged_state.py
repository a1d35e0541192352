"""Can everything be read that was kept about the machine?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule


@rule(
    "damaged-state",
    "way back",
    asks="Can all be read that was decided and recorded about the machine?",
    means="What cannot be read does not count; it is set aside, never overwritten.",
    half_way=True,
)
def damaged_state(situation: Situation):
    where = "logbook, decisions, plan, choices, field notes and policies"
    if not situation.records_are_readable:
        yield not_applicable("Whether what was recorded is whole is not known", where)
        return
    for path, why in situation.damaged_state:
        yield caution(
            f"{path.rpartition('/')[2]} could not be read",
            f"{path}: {why}",
            "What it said does not hold any more. Look at it, decide anew, then delete it.",
        )
    if not situation.damaged_state:
        yield clear("All that was decided and recorded can be read", where)

"""Is there a recovery card, and does it still fit?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule


@rule(
    "recovery-card",
    "way back",
    asks="Is there a recovery card that still fits the machine?",
    means="At a machine that does not start, it says what to do with its own names and devices.",
)
def recovery_card(situation: Situation):
    state = situation.ways_back.card
    where = "recovery-card.json in the state folder"
    if not state:
        yield not_applicable("Whether there is a recovery card is not known", where)
    elif state == "none":
        yield caution(
            "No recovery card was made yet",
            where,
            "Make one and print it or photograph it: brave-bridge card",
        )
    elif state == "stale":
        yield caution(
            "The recovery card does not fit any more",
            f"{where}: ways back, kernels or disks are others now",
            "Make it anew: brave-bridge card",
        )
    else:
        yield clear("The recovery card fits the machine", where)

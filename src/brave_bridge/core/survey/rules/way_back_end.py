"""Does the newest way back end soon?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule
from brave_bridge.core.ways_back.deadline import SOON_DAYS, days_left, left_words


@rule(
    "way-back-end",
    "way back",
    asks="Does the newest way back end soon?",
    means="When it has ended, nothing leads back any more.",
    half_way=True,
)
def way_back_end(situation: Situation):
    newest = situation.way_back
    if newest is None or not newest.ends:
        why = "there is none" if newest is None else "it has no deadline"
        yield not_applicable(f"The newest way back does not end: {why}", "catalogue of snapshots")
        return
    days = days_left(newest.ends, situation.today)
    evidence = f"it ends {newest.ends[:10]}"
    if days is not None and days <= SOON_DAYS:
        yield caution(
            f"The newest way back: {left_words(days)}",
            evidence,
            "Extend it (brave-bridge deadline newest +14), or take a new one.",
        )
    else:
        yield clear(f"The newest way back has {left_words(days)}", evidence)

"""How old is the newest way back?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule

STALE_DAYS = 7


@rule(
    "way-back",
    "way back",
    asks="How old is the newest way back?",
    means="A return to it would lose what changed since.",
    half_way=True,
)
def way_back(situation: Situation):
    where = "catalogue of snapshots"
    if not situation.records_are_readable:
        yield not_applicable(
            "Whether there is a way back is not known",
            f"{where}: only root may read it",
            "Survey again as root.",
        )
        return
    newest = situation.way_back
    days = situation.days_since(newest.day) if newest else None
    if days is None:
        yield caution(
            "There is no way back yet",
            f"{where}: empty",
            "Take a snapshot (brave-bridge snapshot).",
            meaning="A crossing takes a snapshot before it changes anything.",
        )
    elif days > STALE_DAYS:
        yield caution(
            f"The newest way back is {days} days old",
            where,
            "Take a snapshot (brave-bridge snapshot).",
        )
    else:
        age = {0: "today", 1: "yesterday"}.get(days, f"{days} days ago")
        yield clear(f"The newest way back was made {age}", where)

"""How old is the newest way back?"""

from collections.abc import Iterable

from brave_bridge.core.survey.findings import Finding, Rule, Situation, Verdict

STALE_DAYS = 7


def judge(situation: Situation) -> Iterable[Finding]:
    days = situation.newest_way_back_days
    if not situation.records_are_readable:
        yield Finding(
            "way-back",
            Verdict.NOT_APPLICABLE,
            "Whether there is a way back is not known",
            "catalogue of snapshots: permission denied",
            "Logbook and snapshots are read by root only.",
            "survey again as root",
        )
    elif days is None:
        yield Finding(
            "way-back",
            Verdict.CAUTION,
            "There is no way back yet",
            "catalogue of snapshots: empty",
            "A crossing takes a snapshot before it changes anything.",
            "brave-bridge snapshot",
        )
    elif days > STALE_DAYS:
        yield Finding(
            "way-back",
            Verdict.CAUTION,
            f"The newest way back is {days} days old",
            "catalogue of snapshots",
            "A return to it would lose what changed since.",
            "brave-bridge snapshot",
        )
    else:
        age = {0: "today", 1: "yesterday"}.get(days, f"{days} days ago")
        yield Finding(
            "way-back",
            Verdict.CLEAR,
            f"The newest way back was made {age}",
            "catalogue of snapshots",
        )


RULE = Rule("way-back", "a recent way back exists", judge)

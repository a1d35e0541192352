"""Are home folders and data saved elsewhere?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, rule

OLD_DAYS = 30


@rule(
    "data-backup",
    "way back",
    asks="Are home folders and data saved elsewhere?",
    means="Snapshots hold the system, not home folders: what is lost there is lost.",
)
def data_backup(situation: Situation):
    days = situation.days_since(situation.backup_confirmed) if situation.backup_confirmed else None
    remedy = "Make a backup, then say so (brave-bridge confirm-backup)."
    if days is None:
        yield caution("Nobody has confirmed a backup of home and data", "no confirmation", remedy)
    elif days > OLD_DAYS:
        yield caution(
            f"The last confirmed backup of home and data is {days} days old",
            f"confirmed {situation.backup_confirmed[:10]}",
            remedy,
        )
    else:
        yield clear(
            f"A backup of home and data was confirmed {days} days ago",
            f"confirmed {situation.backup_confirmed[:10]}",
        )

"""Is there an archive of the settings?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, rule

OLD_DAYS = 7


@rule(
    "settings-backup",
    "way back",
    asks="Is there an archive of the settings?",
    means="Single files of /etc are best compared and put back from an archive that common tools "
    "read.",
)
def settings_backup(situation: Situation):
    days = situation.days_since(situation.settings_backup) if situation.settings_backup else None
    remedy = "Make one (b, or brave-bridge settings-backup)."
    if days is None:
        yield caution("There is no archive of the settings yet", "state folder: none", remedy)
    elif days > OLD_DAYS:
        yield caution(
            f"The newest archive of the settings is {days} days old",
            f"made {situation.settings_backup[:10]}",
            remedy,
        )
    else:
        yield clear(
            "There is a recent archive of the settings", f"made {situation.settings_backup[:10]}"
        )

"""Would a return bring back old passwords?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule


@rule(
    "changed-passwords",
    "people",
    asks="Would a return bring back old passwords?",
    means="After a return to the newest way back these accounts have the password of before.",
    needs="accounts",
)
def changed_passwords(situation: Situation):
    way_back = situation.way_back
    if way_back is None:
        yield not_applicable("There is no way back yet to compare with", "catalogue of snapshots")
        return
    changed = [a.name for a in situation.facts.accounts if a.changed >= way_back.day[:10]]
    where = situation.facts.where("accounts")
    if changed:
        yield caution(
            f"Password changed since the newest way back: {', '.join(changed[:5])}",
            f"{where}: last change on or after {way_back.day[:10]}",
            "Take a new snapshot, or keep the old password at hand.",
        )
    else:
        yield clear("No password changed since the newest way back", where)

"""Was the release catalogue looked up recently?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, rule

OLD_DAYS = 90


@rule(
    "catalogue-age",
    "release",
    asks="Was the release catalogue looked up recently?",
    means="A newer release, a changed end of support or a new known issue may be missing in it.",
)
def catalogue_age(situation: Situation):
    line = situation.line
    if line is None or line.checked is None:
        return
    days = (situation.today - line.checked).days
    evidence = f"catalogue of {line.name}: checked {line.checked}, {line.source}"
    if days > OLD_DAYS:
        yield caution(
            f"The catalogue of {line.name} was looked up {days} days ago",
            evidence,
            "Install a newer Brave Bridge, or add a catalogue file of your own.",
        )
    else:
        yield clear(f"The catalogue of {line.name} is {max(days, 0)} days old", evidence)

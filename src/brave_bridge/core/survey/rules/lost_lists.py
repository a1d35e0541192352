"""Is it known of every package which files are its own?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Situation, caution, clear, rule


@rule(
    "lost-lists",
    "packages",
    asks="Is it known of every package which files are its own?",
    means="Files that the next version does not have any more stay behind, and nobody owns them.",
    needs="packages",
)
def lost_lists(situation: Situation):
    unlisted, where = situation.facts.unlisted, situation.facts.where("packages")
    if not unlisted:
        yield clear("It is known of every package which files are its own", where)
        return
    yield caution(
        f"The list of files is gone of {counted(len(unlisted), 'package')}",
        f"{where}: {', '.join(unlisted[:6])}",
        "Install them again in the version that they have, before the leg.",
    )

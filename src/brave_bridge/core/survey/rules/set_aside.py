"""Are there config files left over from an earlier leg?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Situation, caution, clear, rule


@rule(
    "set-aside",
    "configuration",
    asks="Are there config files left over from an earlier leg?",
    means="An earlier change left a second version that nobody has looked at.",
    needs="set-aside",
)
def set_aside(situation: Situation):
    aside = situation.facts.set_aside
    if not aside:
        yield clear("No config file waits to be merged", situation.facts.where("set-aside"))
        return
    yield caution(
        f"{counted(len(aside), 'config file')} set aside and not merged",
        ", ".join(aside[:6]),
        "Compare each with the file it stands beside, then delete it.",
    )

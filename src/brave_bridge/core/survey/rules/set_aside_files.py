"""Are there config files left over from an earlier leg?"""

from collections.abc import Iterable

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Finding, Rule, Situation, Verdict


def judge(situation: Situation) -> Iterable[Finding]:
    aside = situation.facts.set_aside
    where = situation.facts.where("set-aside")
    if not aside:
        yield Finding("set-aside", Verdict.CLEAR, "No config file waits to be merged", where)
        return
    yield Finding(
        "set-aside",
        Verdict.CAUTION,
        f"{counted(len(aside), 'config file')} set aside and not merged",
        ", ".join(aside[:6]),
        "An earlier change left a second version that nobody has looked at.",
        "Compare each with the file it stands beside, then delete it.",
    )


RULE = Rule("set-aside", "no set-aside config file waits", judge, needs="set-aside")

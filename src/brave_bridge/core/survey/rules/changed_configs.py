"""Which config files did the administrator change?"""

from collections.abc import Iterable

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Finding, Rule, Situation, Verdict


def judge(situation: Situation) -> Iterable[Finding]:
    changed = situation.facts.changed_configs
    where = situation.facts.where("configs")
    if not changed:
        yield Finding("changed-configs", Verdict.CLEAR, "No config file was changed here", where)
        return
    yield Finding(
        "changed-configs",
        Verdict.CAUTION,
        f"{counted(len(changed), 'config file')} changed here",
        f"{where}: " + ", ".join(config.path for config in changed[:6]),
        "Where the new release ships another version, the plan asks now whose shall stand.",
        "Decide in the plan; your version stays unless you say otherwise.",
    )


RULE = Rule("changed-configs", "config files are as they were shipped", judge, needs="configs")

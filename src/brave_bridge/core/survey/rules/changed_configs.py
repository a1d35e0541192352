"""Which config files did the administrator change?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Situation, caution, clear, rule


@rule(
    "changed-configs",
    "configuration",
    asks="Which config files did the administrator change?",
    means="Where the new release ships another version, the plan asks now whose shall stand.",
    needs="configs",
)
def changed_configs(situation: Situation):
    changed = situation.facts.changed_configs
    where = situation.facts.where("configs")
    if not changed:
        yield clear("No config file was changed here", where)
        return
    yield caution(
        f"{counted(len(changed), 'config file')} changed here",
        f"{where}: " + ", ".join(config.path for config in changed[:6]),
        "Decide in the plan; your version stays unless you say otherwise.",
    )

"""Do scripts here run by a program that the leg takes away?"""

from brave_bridge.core.formats.text import shortened
from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule

_MOST = 4


@rule(
    "script-interpreters",
    "configuration",
    asks="Do scripts here run by a program that the leg takes away?",
    means="They end with an error from then on, jobs among them without anybody who sees it.",
)
def script_interpreters(situation: Situation):
    found = tuple(situation.facts.own_interpreters)
    where = "the first lines of scripts in /usr/local, /opt and among the jobs"
    if not found:
        yield not_applicable("No script was put here", where)
        return
    removed = {change.name for change in situation.plan.packages.removed} if situation.plan else ()
    going = [(one, one.among(removed)) for one in found if one.path]
    for one, package in going:
        if package:
            yield caution(
                f"{one.short} goes away, and scripts here run by it",
                f"{', '.join(shortened(one.users, _MOST))}; the plan removes {package}",
                f"Have them run by what comes in its place, or keep {package} in the plan.",
            )
    if not any(package for _, package in going):
        names = ", ".join(one.short for one in found[:_MOST])
        yield clear(f"What runs the scripts here stays: {names}", where)

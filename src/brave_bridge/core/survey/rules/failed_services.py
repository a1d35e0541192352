"""Is any service failing already?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Situation, caution, clear, rule


@rule(
    "failed-services",
    "running",
    asks="Is any service failing already?",
    means="After the leg nobody could tell whether it was the leg that broke it.",
    needs="services",
)
def failed_services(situation: Situation):
    failed = situation.facts.activity.failed
    where = situation.facts.where("services")
    if not failed:
        yield clear(f"None of {len(situation.facts.activity.units)} units is failing", where)
        return
    names = ", ".join(unit.name for unit in failed[:5])
    yield caution(
        f"{counted(len(failed), 'service')} failing: {names}",
        f"{where}: " + ", ".join(f"{unit.name} ({unit.sub})" for unit in failed[:5]),
        "Mend it or switch it off, so that the proof means something.",
        fix=tuple(("systemctl", "restart", unit.name) for unit in failed[:5]),
    )

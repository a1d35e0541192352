"""Do programs still use files that were replaced?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Situation, caution, clear, rule


@rule(
    "stale-programs",
    "running",
    asks="Do programs still use files that were replaced?",
    means="They run with the old, perhaps faulty version until they are restarted.",
    needs="stale",
)
def stale_programs(situation: Situation):
    stale = situation.facts.activity.stale
    where = situation.facts.where("stale")
    if not stale:
        yield clear("No program uses a replaced file", where)
        return
    names = ", ".join(dict.fromkeys(program.program for program in stale))
    yield caution(
        f"{counted(len(stale), 'program')} with replaced files: {names[:80]}",
        f"{where}: {stale[0].program} still uses {stale[0].file}",
        "Restart these services, or the machine.",
    )

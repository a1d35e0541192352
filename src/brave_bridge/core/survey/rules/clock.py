"""Is the clock right?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule


@rule(
    "clock",
    "running",
    asks="Is the clock right?",
    means="Signatures of sources are refused when the clock is off, and times in the logbook lie.",
    needs="clock",
    half_way=True,
)
def clock(situation: Situation):
    told = situation.facts.activity.clock
    where = situation.facts.where("clock")
    if told.synchronised is None:
        yield not_applicable("Nobody tells whether the clock is right", where)
    elif told.synchronised:
        yield clear(f"The clock is synchronised ({told.zone or 'zone not set'})", where)
    else:
        yield caution(
            "The clock is not synchronised",
            where,
            "Switch time synchronisation on: timedatectl set-ntp true",
            fix=(("timedatectl", "set-ntp", "true"),),
        )

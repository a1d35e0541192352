"""Are guests or containers at work?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Situation, caution, clear, rule


@rule(
    "running-guests",
    "running",
    asks="Are guests or containers at work?",
    means="They are shut down in order before the leg and started again after it.",
    needs="guests",
)
def running_guests(situation: Situation):
    running = situation.facts.activity.running_guests
    where = situation.facts.where("guests")
    if not running:
        yield clear("No guest is at work", where)
        return
    names = ", ".join(guest.name for guest in running[:6])
    yield caution(
        f"{counted(len(running), 'guest')} at work: {names}",
        f"{where}: " + ", ".join(f"{g.name} ({g.manager}, {g.state})" for g in running[:6]),
        "Tell the people who use them; move those that must not stop.",
    )

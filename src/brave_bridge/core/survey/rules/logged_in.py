"""Is anybody else logged in?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Situation, caution, clear, rule


@rule(
    "logged-in",
    "people",
    asks="Is anybody else logged in?",
    means="Their work is interrupted when services and the machine are restarted.",
    needs="sessions",
)
def logged_in(situation: Situation):
    sessions = situation.facts.activity.sessions
    where = situation.facts.where("sessions")
    if len(sessions) <= 1:
        yield clear("Nobody else is logged in", where)
        return
    people = ", ".join(f"{s.user}{' from ' + s.host if s.host else ''}" for s in sessions[:5])
    yield caution(
        f"{counted(len(sessions), 'session')} open: {people}",
        where,
        "Tell them when the leg begins.",
    )

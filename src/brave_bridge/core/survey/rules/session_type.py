"""Does the next release still offer the kind of session that is used here?"""

from brave_bridge.core.survey.findings import Situation, clear, rule, stop

_GRAPHICAL = ("x11", "wayland")


@rule(
    "session-type",
    "people",
    asks="Does the next release still offer the kind of session that is used here?",
    means="After the leg the login would not lead to the desktop that people use here.",
    needs="sessions",
    overrule=True,
)
def session_type(situation: Situation):
    used = {s.type for s in situation.facts.activity.sessions} & set(_GRAPHICAL)
    where = situation.facts.where("sessions")
    refusing = situation.first_end(
        lambda end: end.needs.session_types and used - set(end.needs.session_types)
    )
    if refusing:
        offered = refusing.needs.session_types
        yield stop(
            f"A session of type {min(used - set(offered))} is open, {refusing.title} has only "
            f"{', '.join(offered)}",
            where,
            f"Try the desktop under {offered[0]} before the leg.",
        )
    elif used:
        yield clear(f"The session type {', '.join(sorted(used))} is still offered", where)

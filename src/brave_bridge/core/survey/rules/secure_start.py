"""Does the firmware start signed systems alone, where the next release wants that?"""

from brave_bridge.core.survey.findings import Situation, clear, not_applicable, rule, stop


@rule(
    "secure-start",
    "hardware",
    asks="Does the firmware start signed systems alone, where the next release wants that?",
    means="The next release refuses to be installed, or leaves protections off, without it.",
    needs="boot",
    overrule=True,
)
def secure_start(situation: Situation):
    secure = situation.facts.boot.secure_boot
    where = situation.facts.where("boot")
    refusing = situation.first_end(lambda end: end.needs.secure_start)
    if secure:
        yield clear("The firmware starts signed systems alone", where)
    elif refusing:
        state = "off" if secure is not None else "not told"
        yield stop(
            f"Secure start is {state}, {refusing.title} needs it",
            where,
            refusing.needs.with_price("Switch Secure Boot on in the firmware's settings."),
        )
    else:
        yield not_applicable("No secure start, and none is needed", where)

"""Did the service manager answer?"""

from collections.abc import Iterator

from brave_bridge.core.survey.findings import Situation, clear, not_applicable, rule, stop


@rule(
    "unread-services",
    "running",
    asks="Did the service manager say what runs?",
    means="A baseline without services cannot show which of them the leg broke.",
    half_way=True,
)
def unread_services(situation: Situation) -> Iterator:
    facts = situation.facts
    if not facts.runs:
        yield not_applicable("The system does not run", "the kind of target")
    elif "systemctl" in facts.activity.unread:
        yield stop(
            "The service manager did not answer in time",
            "systemctl was asked and given more time",
            "Survey again when the machine is less busy.",
        )
    else:
        yield clear("What runs is known", facts.where("services") or "no service manager is there")

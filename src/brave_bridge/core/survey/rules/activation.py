"""Is the system's licence activated, and do system and licence name one edition?"""

from collections.abc import Iterator

from brave_bridge.core.licensed.system import TOOL, WAITING, LicensedSystem
from brave_bridge.core.survey.findings import (
    Finding,
    Situation,
    caution,
    clear,
    not_applicable,
    rule,
    stop,
)


@rule(
    "activation",
    "release",
    asks="Is the licence activated, and is it the one of the edition that runs?",
    means="A system that is not activated gives up, or refuses updates, after a while.",
    needs="licence",
)
def activation(situation: Situation) -> Iterator[Finding]:
    system = situation.facts.licensed
    where = situation.facts.where("licence")
    if system is None:
        yield not_applicable("The system has no licence", where)
        return
    licence = system.licence
    if licence.edition != system.system.edition:
        yield stop(
            f"The system is {system.title}, and its licence is for {_title(system)}",
            where,
            "Go to the edition that the licence is for, or restart where that was begun.",
        )
    elif licence.activation == WAITING:
        yield caution(
            f"The licence of edition {system.title} is not activated yet",
            f"{where}: key {licence.shown}" if licence.shown else where,
            f"Activate it: {TOOL} activate, or by telephone with {TOOL} confirm.",
        )
    elif licence.trial:
        yield clear(f"{system.title} needs no activation", where)
    else:
        shown = f", key {licence.shown}" if licence.shown else ""
        yield clear(f"The licence of edition {system.title} is activated{shown}", where)


def _title(system: LicensedSystem) -> str:
    edition = system.edition(system.licence.edition)
    return edition.title if edition else system.licence.edition

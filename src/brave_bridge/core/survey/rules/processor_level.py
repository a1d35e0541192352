"""Does the processor reach what the next release is built for?"""

from brave_bridge.core.survey.findings import Situation, clear, not_applicable, rule, stop
from brave_bridge.core.survey.processor import missing_for


@rule(
    "processor-level",
    "hardware",
    asks="Does the processor reach what the next release is built for?",
    means="Programs of that release end with an illegal instruction, the first one included.",
    needs="hardware",
)
def processor_level(situation: Situation):
    hardware = situation.facts.hardware
    where = situation.facts.where("hardware")
    refusing = situation.first_end(lambda end: missing_for(end.needs.processor, hardware.flags))
    if refusing:
        wanted = refusing.needs.processor
        yield stop(
            f"{refusing.title} needs a processor of level {wanted}, this is "
            f"{hardware.level or 'below every level'}",
            f"{where}: missing {' '.join(missing_for(wanted, hardware.flags)[:8])}",
            "Stay on a release that runs here, or move the machine to newer hardware.",
        )
    elif hardware.level:
        yield clear(f"The processor reaches {hardware.level}", f"{where}: {hardware.processor}")
    else:
        yield not_applicable("The processor's level is not told", where)

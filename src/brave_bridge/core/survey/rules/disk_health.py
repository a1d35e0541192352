"""Will the disks last the leg?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Situation, clear, not_applicable, rule, stop


@rule(
    "disk-health",
    "hardware",
    asks="Will the disks last the leg?",
    means="A leg writes gigabytes. A failing disk may take the system and its way back with it.",
    needs="disks",
    overrule=True,
    half_way=True,
)
def disk_health(situation: Situation):
    disks, where = situation.facts.disks, situation.facts.where("disks")
    ill = [disk for disk in disks if disk.illness]
    for disk in ill:
        remedy = f"Save what is on {disk.name}, replace it, then cross."
        yield stop(f"{disk.label}: {disk.illness}", where, remedy)
    told = [disk for disk in disks if disk.health or disk.state]
    if not told:
        yield not_applicable("No disk tells how it is", where)
    elif not ill:
        yield clear(f"{counted(len(told), 'disk')} without a complaint", where)

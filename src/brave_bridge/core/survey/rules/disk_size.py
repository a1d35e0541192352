"""Is the disk large enough for the next release?"""

from brave_bridge.core.formats.text import byte_size
from brave_bridge.core.survey.findings import Situation, clear, not_applicable, rule, stop


@rule(
    "disk-size",
    "hardware",
    asks="Is the system's disk as large as the next release wants it?",
    means="It is installed today, and has no room for its own updates tomorrow.",
    overrule=True,
)
def disk_size(situation: Situation):
    space = situation.facts.room_at("/")
    have = space.total_bytes if space else 0
    refusing = situation.first_end(lambda end: 0 < have < end.needs.disk_mib << 20)
    if refusing:
        wanted = byte_size(refusing.needs.disk_mib << 20)
        yield stop(
            f"{byte_size(have)} hold the system, {refusing.title} needs {wanted}",
            "statvfs of /",
            refusing.needs.with_price("Grow the file system, or move to a larger disk."),
        )
    elif have:
        yield clear(f"{byte_size(have)} hold the system", "statvfs of /")
    else:
        yield not_applicable("How large the system's disk is, is not told", "")

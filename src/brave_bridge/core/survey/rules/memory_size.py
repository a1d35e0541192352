"""Is there memory enough for the next release?"""

from brave_bridge.core.survey.findings import Situation, clear, rule, stop


@rule(
    "memory-size",
    "hardware",
    asks="Is there memory enough for the next release?",
    means="The system may start and then end programs for want of memory, the leg's own first.",
    needs="hardware",
    overrule=True,
)
def memory_size(situation: Situation):
    have = situation.facts.hardware.memory_bytes >> 20
    where = situation.facts.where("hardware")
    refusing = situation.first_end(lambda end: 0 < have < end.needs.memory_mib)
    if refusing:
        yield stop(
            f"{have} MiB of memory, {refusing.title} needs {refusing.needs.memory_mib} MiB",
            where,
            refusing.needs.with_price("Add memory, or stay on this release."),
        )
    elif have:
        yield clear(f"{have} MiB of memory", where)

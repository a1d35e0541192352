"""Is there room for one more kernel?"""

from brave_bridge.core.survey.boot_fitness import room_for_a_kernel, spare_kernels
from brave_bridge.core.survey.findings import Situation, clear, not_applicable, rule, stop


@rule(
    "boot-space",
    "space",
    asks="Is there room for one more kernel?",
    means="The leg brings a kernel; a full boot file system leaves it without its initial file "
    "system, and the machine does not start.",
    overrule=True,
    half_way=True,
)
def boot_space(situation: Situation):
    room = room_for_a_kernel(situation.facts)
    if room is None:
        yield not_applicable("No kernel is installed here", "/boot: no image")
        return
    if room.is_enough:
        yield clear(f"There is room for one more kernel on {room.path}", room.words)
        return
    spare = spare_kernels(situation.facts)
    remedy = (
        f"Remove an old kernel: {', '.join(spare[:3])}." if spare else "Make the partition larger."
    )
    yield stop(f"No room for one more kernel on {room.path}", room.words, remedy)

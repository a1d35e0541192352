"""Is there room for one more kernel?"""

from brave_bridge.core.formats.text import byte_size
from brave_bridge.core.survey.findings import Situation, clear, not_applicable, rule, stop

MARGIN = 1.25
LEAST_BYTES = 40_000_000
"""What a kernel with its initial file system is taken to need at least."""


@rule(
    "boot-space",
    "space",
    asks="Is there room for one more kernel?",
    means="The leg brings a kernel; a full boot file system leaves it without its initial file "
    "system, and the machine does not start.",
    overrule=True,
)
def boot_space(situation: Situation):
    facts = situation.facts
    room = facts.room_at("/boot")
    if room is None or not facts.kernels:
        yield not_applicable("No kernel is installed here", "/boot: no image")
        return
    need = int(max(max(k.boot_bytes for k in facts.kernels) * MARGIN, LEAST_BYTES))
    evidence = (
        f"{room.path}: {byte_size(room.free_bytes)} free; "
        f"the largest kernel here has {byte_size(need / MARGIN)}"
    )
    if room.free_bytes >= need:
        yield clear(f"There is room for one more kernel on {room.path}", evidence)
        return
    spare = [k.version for k in facts.kernels if not k.running][:-1]
    remedy = (
        f"Remove an old kernel: {', '.join(spare[:3])}." if spare else "Make the partition larger."
    )
    yield stop(f"No room for one more kernel on {room.path}", evidence, remedy)

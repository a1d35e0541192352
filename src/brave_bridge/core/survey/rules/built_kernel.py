"""Has a kernel that was built here all that it must have?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule


@rule(
    "built-kernel",
    "hardware",
    asks="Has the kernel that was built here all that it must have?",
    means="What the machine uses is not in the kernel that runs: it is missed when it is needed.",
    needs="boot",
)
def built_kernel(situation: Situation):
    running = situation.facts.kernel_that_came_up
    built = next((one for one in situation.facts.built if one.release == running), None)
    if built is None:
        yield not_applicable("The kernel that runs was not built here by us", running or "none")
    elif built.faults:
        yield caution(
            f"Kernel {running} lacks {counted(len(built.faults), 'option')} that it must have",
            f"{built.where or 'nothing read'}: {'; '.join(built.faults[:4])}",
            "Configure it again: brave-bridge build-kernel TREE --configure-only",
        )
    else:
        words = counted(built.protected, "protected option")
        yield clear(f"Kernel {running}, built here, has all {words}", built.where)

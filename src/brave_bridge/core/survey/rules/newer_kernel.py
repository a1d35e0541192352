"""Is the newest installed kernel the one that runs?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule
from brave_bridge.core.versions.deb import version_key


@rule(
    "newer-kernel",
    "updates",
    asks="Is the newest installed kernel the one that runs?",
    means="Whether the newer kernel starts on this machine is not known yet, and the leg brings "
    "another one.",
    needs="boot",
)
def newer_kernel(situation: Situation):
    facts = situation.facts
    running = facts.boot.kernel
    where = f"{facts.where('boot')}; {facts.where('kernels')}"
    if not facts.kernels:
        yield not_applicable("No kernel is installed here", "/boot: no image")
        return
    newest = max((k.version for k in facts.kernels), key=version_key)
    if version_key(running) < version_key(newest):
        yield caution(
            f"Kernel {newest} is installed, {running} is running",
            where,
            "Restart into the newest kernel first.",
            fix=(("systemctl", "reboot"),),
        )
    else:
        yield clear(f"The newest installed kernel is running: {running}", where)

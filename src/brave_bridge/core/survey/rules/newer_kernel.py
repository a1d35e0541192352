"""Is the newest installed kernel the one that runs?"""

from brave_bridge.core.boot.loader_faults import next_entry
from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule
from brave_bridge.core.survey.restart_need import newest_kernel
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
    found = newest_kernel(facts)
    if found is None:
        yield not_applicable("No kernel is installed here", "/boot: no image")
        return
    newest = found.version
    if version_key(running) < version_key(newest):
        coming = next_entry(facts.loader)
        boots = coming.kernel if coming else newest
        stays = boots != newest
        yield caution(
            f"Kernel {newest} is installed, {running} is running",
            f"{where}; every boot takes {boots}" if stays else where,
            f"Try it: brave-bridge boot-once {newest}"
            if stays
            else "Restart into the newest kernel first.",
            fix=() if stays else (("systemctl", "reboot"),),
        )
    else:
        yield clear(f"The newest installed kernel is running: {running}", where)

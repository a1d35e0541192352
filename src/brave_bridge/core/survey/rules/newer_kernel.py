"""Is the newest installed kernel the one that runs?"""

from datetime import datetime, timedelta

from brave_bridge.core.boot.loader_faults import next_entry
from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule
from brave_bridge.core.survey.platform import Kernel
from brave_bridge.core.survey.restart_need import newest_kernel
from brave_bridge.core.versions.deb import version_key

_MARGIN = timedelta(minutes=5)
"""An installation that was going on when the machine went down counts as later."""


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
        if boots != newest:
            yield caution(
                f"Kernel {newest} is installed, {running} is running",
                f"{where}; every boot takes {boots}",
                f"Try it: brave-bridge boot-once {newest}",
            )
        elif coming is not None and _was_there(found, facts.boot.booted_at):
            yield caution(
                f"The machine came up with {running}, though its menu takes {newest}",
                f"{where}; {newest} was there before this boot",
                f"It fell back by itself, or somebody chose it. Look at what {newest} says at its "
                f"console (brave-bridge boot-once {newest}); keep {running}, or return.",
                meaning="What the newer kernel was installed for is not in use.",
            )
        else:
            yield caution(
                f"Kernel {newest} is installed, {running} is running",
                where,
                "Restart into the newest kernel first.",
                fix=(("systemctl", "reboot"),),
            )
    else:
        yield clear(f"The newest installed kernel is running: {running}", where)


def _was_there(kernel: Kernel, booted_at: str) -> bool:
    """Whether a kernel was installed before the machine came up; times are ISO 8601."""
    try:
        installed, booted = (datetime.fromisoformat(at) for at in (kernel.installed_at, booted_at))
        return installed + _MARGIN < booted
    except (TypeError, ValueError):
        return False

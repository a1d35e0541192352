"""Does the machine wait for a restart?"""

from brave_bridge.core.survey.findings import Situation, clear, rule, stop
from brave_bridge.core.survey.restart_need import restart_reasons


@rule(
    "restart-pending",
    "updates",
    asks="Does the machine wait for a restart?",
    means="What is running is older than what is installed: a leg would start from a state that "
    "nobody has tried.",
    needs="restart",
    overrule=True,
    half_way=True,
)
def restart_pending(situation: Situation):
    reasons = restart_reasons(situation.facts, situation.roles)
    where = situation.facts.where("restart")
    if reasons:
        yield stop(
            "A restart is pending",
            "; ".join(f"{reason.where}: {reason.words}" for reason in reasons[:6]),
            "Restart the machine, then survey again.",
            fix=(("systemctl", "reboot"),),
        )
    else:
        looked = "kernels, file times, replaced files, the package manager's mark"
        yield clear("No restart is pending", f"{looked} ({where})")

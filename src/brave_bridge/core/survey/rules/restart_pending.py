"""Does the machine wait for a restart?"""

from brave_bridge.core.survey.findings import Situation, clear, rule, stop


@rule(
    "restart-pending",
    "updates",
    asks="Does the machine wait for a restart?",
    means="What is running is older than what is installed: a leg would start from a state that "
    "nobody has tried.",
    needs="restart",
    overrule=True,
)
def restart_pending(situation: Situation):
    activity = situation.facts.activity
    where = situation.facts.where("restart")
    if activity.restart_wanted:
        names = ", ".join(activity.restart_wanted_by[:5]) or "not said by which package"
        yield stop(
            "A restart is pending",
            f"{where}: {names}",
            "Restart the machine, then survey again.",
            fix=(("systemctl", "reboot"),),
        )
    else:
        yield clear("No restart is pending", where)

"""Does the crossing fit into the maintenance window?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule


@rule(
    "maintenance-window",
    "leg",
    asks="Does the crossing fit into the maintenance window?",
    means="It might still be under way when people need the machine again.",
)
def maintenance_window(situation: Situation):
    window, estimate = situation.window, situation.estimate
    if window is None:
        yield not_applicable("No maintenance window is set", "brave-bridge window Sat 22:00-02:00")
    elif estimate is None:
        yield not_applicable("How long it takes is known once it is planned", window.words)
    elif estimate.high > window.minutes * 60:
        yield caution(
            f"It may take {estimate.words}, the window is {window.words}",
            f"estimate: {estimate.basis}",
            "Choose a longer window, or cross leg by leg.",
        )
    else:
        yield clear(f"{estimate.words} fit into {window.words}", f"estimate: {estimate.basis}")

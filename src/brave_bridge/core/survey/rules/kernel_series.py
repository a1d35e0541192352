"""Is the machine held at a series of kernels?"""

from brave_bridge.core.kernels.kernel_package import series_of
from brave_bridge.core.kernels.series_hold import SeriesHold, series_holds
from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule


@rule(
    "kernel-series",
    "updates",
    asks="Is the machine held at a series of kernels?",
    means="What is held gets no fixes once nobody makes them for that series, and a leg does not "
    "bring the kernel of the release ahead.",
    needs="packages",
)
def kernel_series(situation: Situation):
    facts = situation.facts
    if not any(package.follows_series for package in facts.kernel_packages):
        yield not_applicable("No package follows a series of kernels", facts.where("packages"))
        return
    holds = series_holds(facts.pins, facts.kernel_packages)
    if not holds:
        yield clear("No series of kernels is held", facts.where("packages"))
    for hold in holds:
        yield _told(situation, hold)


def _told(situation: Situation, hold: SeriesHold):
    evidence = f"{hold.where}: {', '.join(hold.packages)}"
    line = situation.line
    ends = line.kernel_ends(hold.series) if line else None
    remedy = (
        "Let it go: brave-bridge hold-series --let-go"
        if hold.is_ours
        else f"Take it out of {hold.where} if it is over."
    )
    if ends is not None and ends < situation.today:
        title = f"Held at kernels {hold.series}, which have had no fixes since {ends}"
        return caution(title, evidence, remedy)
    if situation.legs:
        end = situation.legs[0].end
        if end.kernel and series_of(end.kernel) != hold.series:
            title = f"Held at kernels {hold.series}: {end.title} has {end.kernel}, which stays away"
            return caution(title, evidence, remedy)
    until = f", which get fixes until {ends}" if ends else ""
    return clear(f"Held at kernels {hold.series}, as it was decided{until}", evidence)

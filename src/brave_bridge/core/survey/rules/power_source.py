"""Will the current last as long as the leg?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, rule, stop

LOW_PERCENT = 40


@rule(
    "power-source",
    "hardware",
    asks="Will the current last as long as the leg?",
    means="A machine that goes dark in the middle of a leg comes back half changed.",
    needs="power",
    overrule=True,
    half_way=True,
)
def power_source(situation: Situation):
    power = situation.facts.hardware.power
    where = situation.facts.where("power")
    charge = f", {power.percent} % left" if power.percent is not None else ""
    if not power.on_battery:
        yield clear(f"On mains{charge.replace('left', 'charged')}", where)
    elif power.percent is not None and power.percent < LOW_PERCENT:
        yield stop(f"On battery{charge}", where, "Connect the mains before the leg.")
    else:
        yield caution(f"On battery{charge}", where, "Connect the mains before the leg.")

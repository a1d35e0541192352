"""Was a leg begun that is not whole?"""

from collections.abc import Iterator

from brave_bridge.core.survey.findings import Situation, clear, not_applicable, rule, stop


@rule(
    "open-leg",
    "release",
    asks="Was a leg begun that is not whole yet?",
    means="Part of the system is of one release and part of the next.",
    half_way=True,
)
def open_leg(situation: Situation) -> Iterator:
    leg, where = situation.open_leg, "the record of the leg under way"
    if not situation.records_are_readable:
        yield not_applicable("Whether a leg is under way is not known", where)
    elif leg is None:
        yield clear("No leg is half done", where)
    else:
        came = f"it came to {leg.at}" if leg.at else "how far it came is not known"
        back = f", or go back: brave-bridge return {leg.way_back}" if leg.way_back else ""
        yield stop(
            f"{leg.title} is not whole",
            f"{came}: {leg.why}" if leg.why else came,
            f"Mend the cause, then go on: brave-bridge go-on{back}",
        )

"""Can Brave Bridge go on while a leg replaces what it runs on?"""

from collections.abc import Iterator

from brave_bridge.core.survey.findings import Situation, clear, not_applicable, rule, stop


@rule(
    "own-runtime",
    "space",
    asks="Can Brave Bridge go on while a leg replaces the interpreter that it runs on?",
    means="Without a runtime of its own nobody could watch the leg, prove it or go back.",
    half_way=True,
)
def own_runtime(situation: Situation) -> Iterator:
    if not situation.facts.is_this_system:
        yield not_applicable("Brave Bridge does not run on this machine", "the kind of target")
    elif situation.no_runtime:
        yield stop(
            "No runtime of its own can be made",
            situation.no_runtime,
            "Mend that, or cross with the bundle, which needs nothing of the system.",
        )
    else:
        yield clear("A runtime of its own can be made", "room, and the tool that names libraries")

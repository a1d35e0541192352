"""Do all sources and pins name one release?"""

import re

from brave_bridge.core.survey.findings import Situation, clear, rule, stop


@rule(
    "mixed-releases",
    "sources",
    asks="Do all sources and pins name one release?",
    means="Packages of two releases stand side by side: what the leg does to them cannot be "
    "foreseen, and nobody has tried it.",
    needs="sources",
    overrule=True,
)
def mixed_releases(situation: Situation):
    line, release, facts = situation.line, situation.release, situation.facts
    if line is None or release is None:
        return
    others = {
        name: r
        for r in line.releases
        for name in (r.suite or r.codename,)
        if name and name != (release.suite or release.codename)
    }
    mixed = [
        f"{entry.path}:{entry.line} {suite}"
        for entry in facts.sources
        for suite in entry.suites
        if _names(suite, others)
    ]
    pinned = [
        f"{pin.where}: {pin.selects} ({pin.priority})"
        for pin in facts.pins
        if pin.priority >= 500 and any(map(pin.names, others))
    ]
    if mixed or pinned:
        yield stop(
            f"Sources or pins name another release beside {release.title}",
            "; ".join((mixed + pinned)[:5]),
            "Take the other release's sources and pins out, and go back to this one's versions.",
        )
    else:
        yield clear(
            f"No source or pin names another release than {release.title}", facts.where("sources")
        )


def _names(suite: str, others) -> bool:
    return any(re.match(rf"{re.escape(name)}(?=$|[-/])", suite) for name in others)

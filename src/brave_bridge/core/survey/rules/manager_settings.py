"""Is the package manager told something that a leg cannot go by?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import (
    Situation,
    caution,
    clear,
    not_applicable,
    rule,
)

_MOST = 5


@rule(
    "manager-settings",
    "sources",
    asks="Is the package manager told something that a leg cannot go by?",
    means="A leg does what its plan says: such settings do not count in it, and count again "
    "behind it.",
    needs="sources",
)
def manager_settings(situation: Situation):
    facts = situation.facts
    if not situation.legs:
        yield not_applicable("No leg is ahead that a setting could change", "catalogue")
        return
    start, end = situation.legs[0].start, situation.legs[0].end
    names = {start.codename, start.suite, start.version} - {""}
    naming = facts.settings_naming
    if naming:
        yield caution(
            f"{counted(len(naming), 'setting')} of what works by itself name {start.codename}",
            "; ".join(f"{one.where}: {one.text}" for one in naming[:_MOST]),
            f"Have them name {end.codename or end.title} behind the leg: till then unattended "
            "upgrades and their like find nothing.",
        )
    preferred, against = facts.preferred_release, facts.settings_against
    holds = preferred is not None and preferred.name in names
    if preferred is not None and holds:
        yield caution(
            f"The package manager is told to prefer {preferred.name}",
            f"{preferred.where}: {preferred.setting}",
            f"A leg goes on without it. Behind it {situation.manager.name} goes by it still: have "
            f"it name {end.title} then, or take it out.",
        )
    if against:
        yield caution(
            f"{counted(len(against), 'setting')} of the package manager do not count in a leg",
            "; ".join(f"{one.where}: {one.name} ({one.why})" for one in against[:_MOST]),
            "Nothing has to be done: they count again in your own calls.",
        )
    elif not (holds or naming):
        yield clear("No setting of the package manager is against a plan", facts.where("sources"))

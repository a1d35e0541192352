"""Before the first change: would the programs that a leg brings accept the settings that stand?"""

from brave_bridge.core.crossing.agreement import GO_ON, UNDO
from brave_bridge.core.crossing.family import CrossingFamily
from brave_bridge.core.crossing.leg_under_way import LegUnderWay
from brave_bridge.core.crossing.replies import Answered, SettingsForeseen
from brave_bridge.core.crossing.requests import Ask, AskNewVersions, Script
from brave_bridge.core.crossing.settings_before_restart import Refusals
from brave_bridge.core.crossing.stage import what_was_seen

MEND_FIRST = "mend these settings so that both versions accept them, then cross again"


def would_refuse(family: CrossingFamily, leg: LegUnderWay) -> Script[Refusals]:
    """Ask them; where one refuses, a person says whether to go on all the same."""
    theirs = {one.path for one in leg.plan.configs.questions if one.answer == "theirs"}
    changed = {one.path for one in leg.facts.changed_configs}
    reply = yield from AskNewVersions(
        title="Ask the new versions whether they accept the settings",
        lists=family.lists,
        changes=leg.plan.packages,
        stays=tuple(sorted(changed - theirs)),
    )
    if not isinstance(reply, SettingsForeseen):
        return Refusals((_not_known(what_was_seen(reply)),))
    told = (_not_known(reply.unanswered),) if reply.unanswered else ()
    words = tuple(f"the new {name} refuses: {said}" for name, said in reply.refused.items())
    if not words:
        return Refusals(told)
    answer = yield from Ask(
        title="Cross although programs would not start with their settings?",
        key=f"settings-{leg.number}",
        detail="\n".join((*words, "Nothing of the system has changed yet.")),
        choices=(GO_ON, UNDO),
        default=UNDO,
    )
    if isinstance(answer, Answered) and answer.choice == GO_ON:
        return Refusals((*words, *told))
    return Refusals(told, "; ".join(words))


def _not_known(why: str) -> str:
    return f"whether the new versions accept all settings is not known: {why}"

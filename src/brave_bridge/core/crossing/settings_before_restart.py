"""Before a restart: the programs are asked whether they would start with the settings they have."""

import msgspec

from brave_bridge.core.crossing.replies import Answered, SettingsChecked
from brave_bridge.core.crossing.requests import Ask, CheckSettings, Script
from brave_bridge.core.crossing.stage import what_was_seen
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.program_settings import (
    REMOTE_ACCESS,
    TOPIC,
    refused_since,
)

_NOT_KNOWN = "whether all programs accept their settings is not known"
ALL_THE_SAME, FIRST_MEND = "restart all the same", "mend it first"


class Refusals(msgspec.Struct, frozen=True):
    """What would not start behind a restart: ``words`` each in a sentence.

    ``why_not``: why it must not be restarted without a person's word, and nobody gave it.
    """

    words: tuple[str, ...] = ()
    why_not: str = ""


def would_not_start(before: Facts, now: Facts, key: str) -> Script[Refusals]:
    """What accepted its settings ``before`` and refuses them now; asked about where it is ssh."""
    if not now.runs:
        return Refusals()
    reply = yield from CheckSettings(title="Ask the programs whether they accept their settings")
    if not isinstance(reply, SettingsChecked):
        return Refusals((f"{_NOT_KNOWN}: {what_was_seen(reply)}",))
    since = refused_since(before.values_of(TOPIC), reply.said)
    words = tuple(f"{name} would not start again: {said}" for name, said in since.items())
    words += (f"{_NOT_KNOWN}: {reply.unanswered}",) if reply.unanswered else ()
    remote = [name for name in since if name in REMOTE_ACCESS]
    if not remote:
        return Refusals(words)
    answer = yield from Ask(
        title="Restart although nobody could come in from afar?",
        key=f"{key}-settings",
        detail="\n".join((*words, "Mended first, nothing is lost: the leg waits.")),
        choices=(ALL_THE_SAME, FIRST_MEND),
        default=FIRST_MEND,
    )
    if isinstance(answer, Answered) and answer.choice == ALL_THE_SAME:
        return Refusals(words)
    return Refusals(words, f"no restart: {'; '.join(words)}")

"""What stands in a plan's outline, in plain words."""

import msgspec

from brave_bridge.core.formats.text import byte_size, counted, plain
from brave_bridge.core.packages.changes import PackageChange, Price
from brave_bridge.core.packages.choices import LATER, PlanChoice
from brave_bridge.core.packages.levels import LEVEL_WORDS, LevelResult
from brave_bridge.core.packages.preferences import PREFERENCE_WORDS
from brave_bridge.core.plan.outline import Item, Restart, Signer, Wish
from brave_bridge.core.plan.steps import ConfigQuestion, SourceOutcome, StepRow

LONGEST = 4000
"""Characters that are shown of what a plan says in one line."""


class Words(msgspec.Struct, frozen=True):
    """An item in words: what it is, what becomes of it, what has to be fetched, why."""

    what: str
    becomes: str = ""
    why: str = ""
    fetch_bytes: int = 0

    def line(self, *, name: str = "{}", told: bool = True) -> str:
        """In one line without control codes, the reason only where it is told.

        ``name`` is how a name is written there, with its place in it.
        """
        size = f", {byte_size(self.fetch_bytes)} to fetch" if self.fetch_bytes else ""
        becomes = plain(f" {self.becomes}{size}", LONGEST) if self.becomes or size else ""
        why = plain(f": {self.why}", LONGEST) if told and self.why else ""
        return f"{name.format(plain(self.what, LONGEST))}{becomes}{why}"


def words_of(item: Item) -> Words:
    """An item in words. They are as the machine says them, control codes and all."""
    match item:
        case str():
            return Words(item)
        case Wish():
            return Words(item.slot, PREFERENCE_WORDS[item.kind])
        case Price():
            return Words(item.slot, f"holds {len(item.freed)} back", item.words)
        case PlanChoice():
            answer = item.words_of(item.answer).removeprefix(f"{item.subject} ")
            return Words(item.subject, answer or item.answer, item.about)
        case ConfigQuestion():
            stands = "mine stays" if item.answer == "mine" else "take theirs"
            return Words(item.path, stands, f"belongs to {item.package}")
        case StepRow():
            return Words(item.what, item.versions, item.why, item.fetch_bytes)
        case PackageChange():
            return Words(item.name, item.versions, item.reason, item.download_bytes)
        case SourceOutcome():
            suites = f"{item.old_suite} → {item.new_suite}".rstrip(" →")
            return Words(item.uri, suites, f"{item.outcome}: {item.reason}")
        case Signer():
            return Words(item.fingerprint, "signs", ", ".join(item.signed))
        case Restart():
            return Words(item.unit, _restart(item), f"belongs to {item.package}")
        case LevelResult():
            met = "met" if not item.failed else counted(item.failed, "exception")
            proven = "" if item.proven else ", not proven to be the fewest"
            return Words(item.name, f"{met}{proven}", LEVEL_WORDS[item.name])


def _restart(restart: Restart) -> str:
    """What becomes of a service."""
    if restart.choice is None:
        return "stops for good"
    return "restarts at the end" if restart.choice.answer == LATER else "restarts"

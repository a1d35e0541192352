"""Questions whose answers change a plan: each with its options and the one that is taken."""

import msgspec

from brave_bridge.core.packages.preferences import Preferences

SOURCE, CHANNEL, TOOL, OBSOLETE = "source", "channel", "tool", "obsolete"
RESTART, FAMILY = "restart", "family"
KEPT = "keep"
"""The kinds of questions; the last is what an upgrade from a medium keeps."""

FOLLOW, PAUSE, KEEP, DROP = "follow", "pause", "keep", "drop"
"""The answers about a source: it goes along, is commented out for now, stays at what it has for
the old release, is commented out for good. A fourth names another suite of it."""
SOURCE_WORDS = {
    FOLLOW: "goes along",
    PAUSE: "waits",
    KEEP: "stays at the old release",
    DROP: "is dropped",
}
_SWITCH = "suite "
STAYS, GOES = "stays", "goes"
COMES, NONE_COMES = "comes", "none comes"
AT_ONCE, LATER = "at once", "later"


class Option(msgspec.Struct, frozen=True):
    """One answer, and what it means in words."""

    answer: str
    words: str


class PlanChoice(msgspec.Struct, frozen=True, kw_only=True):
    """A question of a plan: what it is about, what can be answered, what is.

    ``default`` is what is taken where nobody answers. ``other`` is, for a tool, the package that
    may take its place; for a family of packages its successors, between blanks.
    """

    kind: str
    subject: str
    about: str
    options: tuple[Option, ...]
    answer: str
    default: str
    other: str = ""

    @property
    def key(self) -> str:
        """What names it in a plan: its kind and its subject."""
        return f"{self.kind} {self.subject}"

    @property
    def needs_sources(self) -> bool:
        """Whether another answer means that sources or media are read anew."""
        return self.kind in (SOURCE, CHANNEL, KEPT)

    def words_of(self, answer: str) -> str:
        """What an answer means."""
        return next((option.words for option in self.options if option.answer == answer), answer)


def to_suite(suite: str) -> str:
    """The answer that turns a source to another suite."""
    return _SWITCH + suite


def suite_in(answer: str) -> str:
    """The suite that an answer turns a source to; empty where it does not."""
    return answer.removeprefix(_SWITCH) if answer.startswith(_SWITCH) else ""


def preferences_with(preferences: Preferences, choice: PlanChoice, answer: str) -> Preferences:
    """The preferences with a question answered so; the default takes an answer back."""
    if choice.kind == SOURCE:
        return preferences.with_source(choice.subject, "" if answer == choice.default else answer)
    if choice.kind == CHANNEL:
        return preferences.with_channel(choice.subject, answer)
    if choice.kind == RESTART:
        return preferences.with_restart(choice.subject, later=answer == LATER)
    if choice.kind == KEPT:
        return msgspec.structs.replace(preferences, keep=answer)
    if choice.kind == FAMILY:
        coming = frozenset(choice.other.split())
        added = preferences.add | coming if answer == COMES else preferences.add - coming
        return msgspec.structs.replace(preferences, add=added)
    goes = answer != choice.default
    if goes == (choice.subject in preferences.remove):
        return preferences
    if choice.kind == TOOL:
        return preferences.replacing(choice.subject, choice.other)
    return preferences.toggled("remove", choice.subject)

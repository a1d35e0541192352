"""The change list of a leg: what is upgraded, new, removed and kept back, and why."""

import msgspec

from brave_bridge.core.formats.apt_sources import SourceFile
from brave_bridge.core.releases.catalogue import Leg


class PackageChange(msgspec.Struct, frozen=True, rename={"old": "from", "new": "to"}):
    """One package's change; an absent version is empty. Sizes in bytes."""

    name: str
    old: str
    new: str
    reason: str
    download_bytes: int = 0
    disk_bytes: int = 0
    section: str = ""
    major: bool = False


class ConfigQuestion(msgspec.Struct, frozen=True):
    """A config file changed here whose package changes: whose version shall stand?

    ``answer`` is ``mine`` or ``theirs``.
    """

    path: str
    package: str
    managed_by: str
    answer: str = "mine"


class SourceOutcome(msgspec.Struct, frozen=True):
    """What a leg does with one source: ``renamed``, ``paused``, ``unchanged``."""

    path: str
    line: int
    uri: str
    old_suite: str
    new_suite: str
    outcome: str
    reason: str


class LegPlan(msgspec.Struct, frozen=True):
    """What one leg would change.

    ``download_bytes`` is what has to be fetched, ``disk_bytes`` what the system grows
    by (negative where it shrinks). ``source_files`` are the source files as the leg
    will write them. ``made_at`` is ISO 8601 in UTC.
    """

    leg: Leg
    upgraded: tuple[PackageChange, ...]
    new: tuple[PackageChange, ...]
    removed: tuple[PackageChange, ...]
    kept_back: tuple[PackageChange, ...]
    first_stage: tuple[str, ...]
    download_bytes: int
    disk_bytes: int
    questions: tuple[ConfigQuestion, ...]
    obsolete: tuple[str, ...]
    sources: tuple[SourceOutcome, ...]
    source_files: tuple[SourceFile, ...]
    sources_before: tuple[SourceFile, ...]
    made_at: str
    ahead: tuple[PackageChange, ...] = ()
    """Installed packages that are newer here than in the release that the leg leads to."""

    @property
    def second_stage(self) -> tuple[str, ...]:
        """The packages that change only once others are removed or new ones come."""
        first = set(self.first_stage)
        return tuple(c.name for c in self.upgraded + self.new if c.name not in first)

    @property
    def jumps(self) -> tuple[PackageChange, ...]:
        """The upgrades that go to another major version."""
        return tuple(change for change in self.upgraded if change.major)

    def with_answer(self, path: str, answer: str) -> "LegPlan":
        """The plan with one config question answered ``mine`` or ``theirs``."""
        questions = tuple(
            msgspec.structs.replace(q, answer=answer) if q.path == path else q
            for q in self.questions
        )
        return msgspec.structs.replace(self, questions=questions)


class RoutePlan(msgspec.Struct, frozen=True):
    """The plans of a route's legs, in order."""

    legs: tuple[LegPlan, ...]


class Disagreement(msgspec.Struct, frozen=True):
    """Where the package manager would do other than was approved."""

    removed_unapproved: tuple[str, ...]
    kept_unapproved: tuple[str, ...]

    def __bool__(self) -> bool:
        return bool(self.removed_unapproved or self.kept_unapproved)

    @property
    def words(self) -> str:
        """It in one sentence."""
        parts = []
        if self.removed_unapproved:
            parts.append("would also remove " + ", ".join(self.removed_unapproved))
        if self.kept_unapproved:
            parts.append("would also keep back " + ", ".join(self.kept_unapproved))
        return "the package manager " + " and ".join(parts)


def disagreement(approved: LegPlan, removed: set[str], kept_back: set[str]) -> Disagreement:
    """What the package manager now intends beyond the approved plan."""
    return Disagreement(
        removed_unapproved=tuple(sorted(removed - {c.name for c in approved.removed})),
        kept_unapproved=tuple(sorted(kept_back - {c.name for c in approved.kept_back})),
    )

"""The steps of a leg's plan, in the order in which they are carried out.

A step is plain data: what it changes as rows, what it fetches and takes on disk, what could go
wrong, the questions it asks ahead, and its part of the hash by which the plan is approved. What
needs a rendering of its own (packages, sources, config files) has one; every other step is shown
by its rows.
"""

from collections.abc import Iterator
from difflib import unified_diff
from typing import ClassVar

import msgspec

from brave_bridge.core.formats.apt_sources import SourceFile
from brave_bridge.core.formats.text import counted
from brave_bridge.core.packages.changes import PackageChanges


class StepRow(msgspec.Struct, frozen=True):
    """One thing that a step changes. ``old`` is empty where it is new, ``new`` where it goes."""

    what: str
    old: str = ""
    new: str = ""
    why: str = ""
    fetch_bytes: int = 0
    warns: bool = False
    """Whether a person should look at it before agreeing."""

    @property
    def versions(self) -> str:
        """What it was and what it becomes."""
        return f"{self.old} → {self.new}".strip(" →")


class PlanStep(msgspec.Struct, frozen=True, kw_only=True, tag_field="step"):
    """What all steps share."""

    is_listed_apart: ClassVar[bool] = False
    """Whether it has a rendering of its own."""

    @property
    def kind(self) -> str:
        """The name of its kind, as it is kept in files."""
        return str(self.__struct_config__.tag)

    @property
    def title(self) -> str:
        """What the step is about."""
        return ""

    @property
    def summary(self) -> str:
        """It in one line; empty where nothing of it changes."""
        return "; ".join(f"{row.what} {row.versions}".strip() for row in self.rows())

    def rows(self) -> Iterator[StepRow]:
        """What it changes."""
        yield from ()

    @property
    def fetch_bytes(self) -> int:
        """What has to be fetched."""
        return sum(row.fetch_bytes for row in self.rows())

    @property
    def disk_bytes(self) -> int:
        """What the system grows by, negative where it shrinks."""
        return 0

    @property
    def moved_bytes(self) -> int:
        """What is read to its end and written, beside packages."""
        return 0

    @property
    def restarts(self) -> int:
        """How often the machine restarts for it."""
        return 0

    @property
    def risks(self) -> tuple[str, ...]:
        """What a person should know before agreeing, each a sentence."""
        return ()

    def approved_by(self) -> Iterator[str]:
        """What the approval of the plan stands for: another line, and it must be asked again."""
        for row in self.rows():
            yield f"{self.kind} {row.what} {row.old} {row.new}"


class SourceOutcome(msgspec.Struct, frozen=True):
    """What a leg does with one source: ``renamed``, ``paused``, ``dropped``, ``unchanged``.

    ``signers`` are the fingerprints of the keys that signed what it offers.
    """

    path: str
    line: int
    uri: str
    old_suite: str
    new_suite: str
    outcome: str
    reason: str
    signers: tuple[str, ...] = ()


class SourcesStep(PlanStep, frozen=True, kw_only=True, tag="sources"):
    """The sources are pointed at the leg's end. ``files`` are as they will be written."""

    outcomes: tuple[SourceOutcome, ...] = ()
    files: tuple[SourceFile, ...] = ()
    before: tuple[SourceFile, ...] = ()
    is_listed_apart: ClassVar[bool] = True

    @property
    def title(self) -> str:
        """See PlanStep."""
        return "sources"

    @property
    def summary(self) -> str:
        """See PlanStep."""
        ends = [one.outcome for one in self.outcomes]
        waiting = sum(end in ("paused", "dropped") for end in ends)
        turned = counted(ends.count("renamed"), "source") + " turned"
        return f"{turned}, {waiting} paused or dropped" if waiting else turned

    def rows(self) -> Iterator[StepRow]:
        """See PlanStep."""
        for one in self.outcomes:
            yield StepRow(one.uri, one.old_suite, one.new_suite, f"{one.outcome}: {one.reason}")

    @property
    def diff(self) -> str:
        """What changes in the files, as a unified diff."""
        before = {file.path: file.text for file in self.before}
        pieces = (
            unified_diff(
                before.get(file.path, "").splitlines(),
                file.text.splitlines(),
                file.path,
                f"{file.path} (after)",
                lineterm="",
                n=1,
            )
            for file in self.files
        )
        return "\n".join(line for piece in pieces for line in piece)

    @property
    def risks(self) -> tuple[str, ...]:
        """See PlanStep."""
        waiting = [one.uri for one in self.outcomes if one.outcome == "paused"]
        return (f"paused until they have the release: {', '.join(waiting)}",) if waiting else ()

    def approved_by(self) -> Iterator[str]:
        """See PlanStep."""
        yield from (f"source {file.path} {file.text}" for file in self.files)


class PackagesStep(PlanStep, frozen=True, kw_only=True, tag="packages"):
    """Packages change, by the family's package manager."""

    changes: PackageChanges = PackageChanges()
    is_listed_apart: ClassVar[bool] = True

    @property
    def title(self) -> str:
        """See PlanStep."""
        return "packages"

    @property
    def summary(self) -> str:
        """See PlanStep."""
        changes = self.changes
        if not changes and not changes.kept_back:
            return ""
        kept = f", {len(changes.kept_back)} kept back" if changes.kept_back else ""
        return (
            f"{counted(len(changes.upgraded), 'package')} upgraded, {len(changes.new)} new, "
            f"{len(changes.lost) or 'nothing'} would go away{kept}"
        )

    def rows(self) -> Iterator[StepRow]:
        """See PlanStep."""
        for one in self.changes.arriving + self.changes.removed:
            yield StepRow(one.name, one.old, one.new, one.reason, one.download_bytes)

    @property
    def disk_bytes(self) -> int:
        """See PlanStep."""
        return self.changes.disk_bytes

    @property
    def risks(self) -> tuple[str, ...]:
        """See PlanStep."""
        lost = [change.name for change in self.changes.lost]
        return (f"would go away: {', '.join(lost)}",) if lost else ()

    def approved_by(self) -> Iterator[str]:
        """See PlanStep."""
        changes = self.changes.arriving + self.changes.removed
        for change in sorted(changes, key=lambda change: change.name):
            yield f"package {change.name} {change.old} {change.new}"


class ConfigQuestion(msgspec.Struct, frozen=True):
    """A config file changed here whose package changes: whose version shall stand?

    ``answer`` is ``mine`` or ``theirs``; ``by`` is who gave it: ``default``, ``person``, or
    ``policy`` where it was kept for every machine.
    """

    path: str
    package: str
    managed_by: str
    answer: str = "mine"
    by: str = "default"


class ConfigsStep(PlanStep, frozen=True, kw_only=True, tag="configs"):
    """Config files that were changed here get the version that was decided."""

    questions: tuple[ConfigQuestion, ...] = ()
    is_listed_apart: ClassVar[bool] = True

    @property
    def title(self) -> str:
        """See PlanStep."""
        return "config files"

    @property
    def summary(self) -> str:
        """See PlanStep."""
        asked = len(self.questions)
        return f"{counted(asked, 'config file')} decided ahead" if asked else ""

    def rows(self) -> Iterator[StepRow]:
        """See PlanStep."""
        for one in self.questions:
            yield StepRow(one.path, "yours", "yours" if one.answer == "mine" else "the new one")

    def approved_by(self) -> Iterator[str]:
        """See PlanStep."""
        yield from (f"config {question.path} {question.answer}" for question in self.questions)

    def with_answer(self, path: str, answer: str, by: str) -> "ConfigsStep":
        """With one question answered ``mine`` or ``theirs``."""
        return ConfigsStep(
            questions=tuple(
                msgspec.structs.replace(question, answer=answer, by=by)
                if question.path == path
                else question
                for question in self.questions
            )
        )


class RestartStep(PlanStep, frozen=True, kw_only=True, tag="restart"):
    """The machine restarts. ``because`` is why, ``comes_up`` what must be running then."""

    because: tuple[str, ...] = ()
    comes_up: str = ""

    @property
    def title(self) -> str:
        """See PlanStep."""
        return "restart"

    @property
    def summary(self) -> str:
        """See PlanStep."""
        return f"a restart, into {self.comes_up}" if self.comes_up else "a restart"

    def rows(self) -> Iterator[StepRow]:
        """See PlanStep."""
        yield StepRow("the machine restarts", "", self.comes_up, "; ".join(self.because))

    @property
    def restarts(self) -> int:
        """See PlanStep."""
        return 1

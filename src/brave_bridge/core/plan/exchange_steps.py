"""Steps in which one thing gives way to another version of it: an image, an edition, a kernel."""

from collections.abc import Iterator

from brave_bridge.core.images.changes import ComponentChange
from brave_bridge.core.plan.steps import PlanStep, StepRow


class _Exchange(PlanStep, frozen=True, kw_only=True):
    """One thing gives way to another version of it."""

    old: str
    new: str
    why: str = ""
    size_bytes: int = 0
    grows_bytes: int = 0
    warnings: tuple[str, ...] = ()

    @property
    def _what(self) -> str:
        return self.title

    def rows(self) -> Iterator[StepRow]:
        """See PlanStep."""
        warns = bool(self.risks)
        yield StepRow(self._what, self.old, self.new, self.why, self.size_bytes, warns)

    @property
    def disk_bytes(self) -> int:
        """See PlanStep."""
        return self.grows_bytes

    @property
    def risks(self) -> tuple[str, ...]:
        """See PlanStep."""
        return self.warnings


class ImageStep(_Exchange, frozen=True, kw_only=True, tag="image"):
    """The whole system is written as one image into ``slot``, or in its place.

    ``bundle`` is the file that it comes in, ``build`` what the system calls itself afterwards,
    ``profile`` and ``new_version`` what is written of it, ``image_bytes`` how much.
    """

    slot: str = ""
    bundle: str = ""
    build: str = ""
    profile: str = ""
    new_version: str = ""
    image_bytes: int = 0
    cures: dict[str, str] = {}
    """What its makers say to do behind the leg, by the names of the issues that it cures."""
    issues: tuple[str, ...] = ()
    """What its makers know to be wrong with it, by name."""
    cured_by_tool: tuple[str, ...] = ()
    """The issues whose cures the system's own tool applies, behind the restart."""

    @property
    def title(self) -> str:
        """See PlanStep."""
        return "system image"

    @property
    def moved_bytes(self) -> int:
        """See PlanStep: its bundle is read whole before anything of it is written."""
        return 2 * self.image_bytes

    @property
    def _what(self) -> str:
        return f"image in slot {self.slot}" if self.slot else "image"


class ComponentsStep(PlanStep, frozen=True, kw_only=True, tag="components"):
    """What an image changes, component by component."""

    changed: tuple[ComponentChange, ...] = ()

    @property
    def title(self) -> str:
        """See PlanStep."""
        return "components"

    @property
    def summary(self) -> str:
        """See PlanStep."""
        counts: dict[str, int] = {}
        for one in self.changed:
            counts[one.kind] = counts.get(one.kind, 0) + 1
        return ", ".join(f"{count} {kind}" for kind, count in counts.items())

    def rows(self) -> Iterator[StepRow]:
        """See PlanStep."""
        for one in self.changed:
            by = f", by {one.maker}" if one.maker else ""
            yield StepRow(
                one.name, one.old, one.new, f"{one.kind}{by}", warns=bool(one.maker and not one.new)
            )

    @property
    def risks(self) -> tuple[str, ...]:
        """See PlanStep: what somebody else has put into the system goes without a word."""
        return tuple(
            f"{one.name} of {one.maker} goes: the new image does not have it"
            for one in self.changed
            if one.maker and not one.new
        )


class EditionStep(_Exchange, frozen=True, kw_only=True, tag="edition"):
    """The edition of the system becomes another; a key for it is never a part of the plan.

    ``name`` is what the system calls the edition, ``mark`` how keys for it begin; ``adds`` and
    ``forbids`` are what it means.
    """

    name: str = ""
    mark: str = ""
    adds: tuple[str, ...] = ()
    forbids: tuple[str, ...] = ()

    @property
    def title(self) -> str:
        """See PlanStep."""
        return "edition"

    @property
    def summary(self) -> str:
        """See PlanStep."""
        return f"{self.old} becomes {self.new}"

    def rows(self) -> Iterator[StepRow]:
        """See PlanStep."""
        warns = len(self.warnings) > len(self.forbids)
        yield StepRow("edition", self.old, self.new, self.why, warns=warns)
        yield from (StepRow(words, "", "added") for words in self.adds)
        yield from (StepRow(words, "allowed", "forbidden", warns=True) for words in self.forbids)


KEEP_ALL, KEEP_FILES, KEEP_NOTHING = "all", "files", "nothing"
"""What an upgrade from a medium keeps: files, settings and programs; people's files; nothing."""


class MediumStep(_Exchange, frozen=True, kw_only=True, tag="medium"):
    """The release comes from a medium, whose description is at ``medium``.

    ``build`` is what the system calls itself afterwards, ``keep`` what is kept, ``lost`` what
    that loses, in words; ``phases`` over so many restarts, and ``medium_bytes`` what is on it.
    """

    medium: str = ""
    build: str = ""
    keep: str = KEEP_ALL
    lost: tuple[str, ...] = ()
    phases: int = 1
    medium_bytes: int = 0

    @property
    def title(self) -> str:
        """See PlanStep."""
        return "medium"

    @property
    def moved_bytes(self) -> int:
        """See PlanStep: it is read whole before anything of it is taken up."""
        return 2 * self.medium_bytes

    @property
    def restarts(self) -> int:
        """See PlanStep: beside the restart into its first phase."""
        return self.phases - 1

    @property
    def summary(self) -> str:
        """See PlanStep."""
        return f"{self.old} becomes {self.new}, {KEPT_WORDS[self.keep]}"

    def rows(self) -> Iterator[StepRow]:
        """See PlanStep."""
        warns = bool(self.warnings)
        yield StepRow(self.medium, self.old, self.new, self.why, self.size_bytes, warns)
        yield StepRow("what is kept", "", KEPT_WORDS[self.keep])
        yield from (StepRow(words, "there", "lost", warns=True) for words in self.lost)

    @property
    def risks(self) -> tuple[str, ...]:
        """See PlanStep."""
        gone = ("not all is kept: what is lost stands above",) if self.lost else ()
        return (*self.warnings, *gone)


KEPT_WORDS = {
    KEEP_ALL: "files, settings and programs are kept",
    KEEP_FILES: "people's files alone are kept",
    KEEP_NOTHING: "nothing is kept",
}
"""What each of them means."""


class KernelStep(_Exchange, frozen=True, kw_only=True, tag="kernel"):
    """The kernel that boots becomes one of another series."""

    @property
    def title(self) -> str:
        """See PlanStep."""
        return "kernel"

"""What a crossing's script asks of a family: commands as data, outputs read. Nothing is run."""

from collections.abc import Iterable, Sequence
from typing import Protocol

import msgspec

from brave_bridge.core.crossing.replies import FileText
from brave_bridge.core.crossing.requests import Run
from brave_bridge.core.packages.changes import PackageChanges
from brave_bridge.core.packages.updates import Outlook
from brave_bridge.core.plan.leg_plan import LegPlan


class ExactStage(msgspec.Struct, frozen=True):
    """One stage: the command that changes packages, and those of them that nobody asked for."""

    command: Run
    automatic: tuple[str, ...]


class ExactCommands(msgspec.Struct, frozen=True):
    """The commands of one plan. ``files`` are to be written first; None where nothing is to do.

    ``rehearse`` prints what would be done, and does nothing; ``download`` fetches everything;
    ``stage_one`` upgrades what needs nothing removed and nothing new; ``stage_two`` carries out
    the rest.
    """

    files: tuple[FileText, ...]
    rehearse: Run
    download: Run
    stage_one: ExactStage | None
    stage_two: ExactStage | None


class FetchAhead(msgspec.Struct, frozen=True):
    """Fetching for a leg while the machine's own sources and indices stay as they are.

    ``files`` are to be written first, ``run`` fetches and prints what would be done, as a
    rehearsal does. What came is in ``lists``.
    """

    files: tuple[FileText, ...]
    run: Run
    lists: str


class CrossingFamily(Protocol):
    """A family's package manager, as far as a crossing needs it."""

    name: str

    tools: tuple[str, ...]
    """The programs that change packages."""

    saved_suffix: str
    """The ending under which a config file of the person's is saved that gives way."""

    finish_words: str
    """What a person types to finish what is half installed."""

    lists: str
    """The folder of the machine's own indices."""

    database: str
    """The package database."""

    index_descriptions: tuple[str, ...]
    """Patterns of the files in which the refreshed indices describe themselves."""

    set_aside_suffixes: tuple[str, ...]
    """Endings of config files that the package manager sets aside."""

    marks: str
    """The file that has which packages nobody asked for."""

    def answers(self) -> Run:
        """Something that only shows that the package manager runs here."""

    def refresh(self) -> Run:
        """Fetch the indices of the sources."""

    def simulate(self) -> Run:
        """Print what the whole change would do, and do nothing."""

    def outlook(self, output: str) -> Outlook:
        """What ``simulate`` would upgrade, add, remove and keep back."""

    def download(self) -> Run:
        """Fetch everything that the whole change needs."""

    def stage_one(self) -> Run:
        """Upgrade what needs nothing removed and nothing new."""

    def stage_two(self) -> Run:
        """Carry out the rest."""

    def fetch_ahead(self, plan: LegPlan) -> FetchAhead | None:
        """Fetch indices and packages beside something else; None where that cannot be."""

    def exactly(self, changes: PackageChanges) -> ExactCommands:
        """The commands that carry out exactly one plan."""

    def unlike(self, changes: PackageChanges, output: str) -> list[str]:
        """What a rehearsal would do other than the plan, a line for each package."""

    def mark_automatic(self, names: Iterable[str], marks: str, native: str) -> Run | None:
        """Mark packages as asked for by nobody; None where ``marks`` has all of them so.

        A name without an architecture is of ``native``, the machine's own.
        """

    def repair(self) -> tuple[Run, ...]:
        """Finish what an interrupted change left, in order."""

    def quietly(self, title: str, argv: tuple[str, ...]) -> Run:
        """A command that a finding or a person names, with the config-file policy of a stage."""

    def clear_away(self, names: Sequence[str]) -> Run | None:
        """Take away what packages leave behind that were removed; None where nothing is left."""

    def install_files(self, paths: Sequence[str], *, rehearse: bool) -> Run:
        """Install package files that are on the machine; ``rehearse``: print what that would do."""

    def reinstall(self, names: Iterable[str]) -> Run:
        """Install packages again in the version that the sources have."""

    def check(self) -> Run:
        """The package manager's own check of what is installed; it leaves no trace."""

    def wrong_indices(self, plan: LegPlan, descriptions: Iterable[FileText]) -> str:
        """Why the refreshed indices are not the leg's, or an empty text."""

    def set_aside_by(self, managed_by: str) -> str:
        """The ending under which the newer version of a config file is set aside."""

    def faults(self, output: str) -> list[str]:
        """The lines of an output that a person has to see."""

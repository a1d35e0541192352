"""What a crossing's script asks of a family: commands as data, outputs read. Nothing is run."""

from collections.abc import Iterable
from typing import Protocol

from brave_bridge.core.crossing.requests import FileText, Run
from brave_bridge.core.packages.changes import LegPlan
from brave_bridge.core.packages.updates import Outlook


class CrossingFamily(Protocol):
    """A family's package manager, as far as a crossing needs it."""

    index_descriptions: tuple[str, ...]
    """Patterns of the files in which the refreshed indices describe themselves."""

    set_aside_suffixes: tuple[str, ...]
    """Endings of config files that the package manager sets aside."""

    def refresh(self) -> Run:
        """Fetch the indices of the sources."""

    def simulate(self) -> Run:
        """Print what the whole change would do, and do nothing."""

    def intended(self, output: str) -> tuple[set[str], set[str]]:
        """The packages that ``simulate`` would remove and keep back."""

    def outlook(self, output: str) -> Outlook:
        """The same in full: what ``simulate`` would upgrade, add, remove and keep back."""

    def download(self) -> Run:
        """Fetch everything that the whole change needs."""

    def stage_one(self) -> Run:
        """Upgrade what needs nothing removed and nothing new."""

    def stage_two(self) -> Run:
        """Carry out the rest."""

    def repair(self) -> tuple[Run, ...]:
        """Finish what an interrupted change left, in order."""

    def reinstall(self, names: Iterable[str]) -> Run:
        """Install packages again in the version that the sources have."""

    def check(self) -> Run:
        """The package manager's own check; it must leave no trace on the machine."""

    def wrong_indices(self, plan: LegPlan, descriptions: Iterable[FileText]) -> str:
        """Why the refreshed indices are not the leg's, or an empty text."""

    def set_aside_by(self, managed_by: str) -> str:
        """The ending under which the newer version of a config file is set aside."""

    def faults(self, output: str) -> list[str]:
        """The lines of an output that a person has to see."""

"""What a family of systems is to the rest of the house: one object, with what it is able to do.

A family knows a package manager, its files, its words and its order of versions; nobody else
does. Each ability is optional: where a family lacks one, what needs it is not offered for its
machines. Abilities are imported when they are first asked for.
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, Protocol

from brave_bridge.core.crossing.family import CrossingFamily
from brave_bridge.core.crossing.planner import Planner
from brave_bridge.core.crossing.procedure import LegProcedure
from brave_bridge.core.crossing.replies import Done, FileText
from brave_bridge.core.crossing.requests import PlanPackages, Run
from brave_bridge.core.crossing.take_up_sources import WaitingSource
from brave_bridge.core.formats.apt_sources import SourceEntry, SourceFile
from brave_bridge.core.formats.kernel_modules import Alias
from brave_bridge.core.kernels.kernel_package import KernelPackage
from brave_bridge.core.packages.changes import PackageChanges, ServiceChange
from brave_bridge.core.planning.package_plan import PackagePlan
from brave_bridge.core.planning.universe import Universe
from brave_bridge.core.releases.catalogue import Release, ReleaseLine
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.package_manager import PackageManager
from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Query, Seen


class Reading(Protocol):
    """Reads a machine's facts in two rounds. ``queries`` are those of the first."""

    queries: tuple[Query, ...]

    def begin(self, machine: str, seen: Seen) -> Any:
        """What the first round told; MachineError where the package database is unusable."""

    def further(self, known: Any) -> tuple[Query, ...]:
        """What the second round asks for."""

    def facts(self, machine: Machine, seen: Seen, known: Any, basic: Facts) -> Facts:
        """The basic facts of every machine, and all that this family's files tell."""


class Packages(Protocol):
    """Knows the packages of a machine and of what its sources offer."""

    def universe(self, machine: Machine, lists: str, database: str) -> Universe:
        """What stands in a package database, and what the indices in a folder offer.

        MachineError where the database cannot be read.
        """

    def universe_after(
        self, machine: Machine, plan: PackagePlan, universe: Universe, lists: str
    ) -> Universe:
        """The machine as a plan leaves it, with what the indices in another folder offer."""

    def services(self, machine: Machine, slots: Iterable[str]) -> Iterator[ServiceChange]:
        """The service units that packages bring."""

    def missed_migrations(
        self, machine: Machine, request: PlanPackages, steps: Sequence[PackagePlan]
    ) -> Iterator[str]:
        """What scripts of the releases between do that the last ones no longer do."""

    def architectures(self, machine: Machine) -> tuple[str, ...]:
        """Those that the machine takes packages of, the native one first."""

    def file_to_come(
        self, machine: Machine, lists: str, name: str, version: str, path: str
    ) -> bytes | None:
        """A file as a version ships it, among what was fetched for a plan."""

    def file_of_now(
        self, machine: Machine, sources: Iterable[SourceEntry], name: str, version: str, path: str
    ) -> bytes | None:
        """A file as the installed version ships it, as long as the sources have that."""

    def package_file(
        self, machine: Machine, lists: str, name: str, version: str
    ) -> tuple[str, bytes]:
        """A package file among what was fetched of suites: its name, and its content."""

    def with_new_versions(
        self,
        machine: Machine,
        lists: str,
        changes: PackageChanges,
        stays: Iterable[str],
        asked: Mapping[str, Sequence[str]],
    ) -> Run | None:
        """What asks programs as they are and with their new versions unpacked beside the system.

        ``asked`` are their commands by name; None where the changes concern none of them. It
        prints what ``asked_beside`` reads; LookupError where a package was not fetched.
        """

    def module_aliases(
        self, machine: Machine, sources: Iterable[SourceEntry], packages: Iterable[tuple[str, str]]
    ) -> Iterator[Alias]:
        """What the kernel modules in packages (name and version) of the sources are for."""


class Sources(Protocol):
    """Knows the files in which sources stand. ``keys`` are patterns of keys that hold for all."""

    keys: tuple[str, ...]

    def waiting(
        self, files: Iterable[SourceFile], line: ReleaseLine, here: Release
    ) -> Iterator[WaitingSource]:
        """What waits in these files, on a machine that has the release ``here``."""


class KernelHolding(Protocol):
    """Holds a machine at a series of kernels by a file of its package manager."""

    paths: tuple[str, ...] = ()
    """The files whose texts it has to know."""

    def costs(self, series: str, until: str) -> str:
        """What becomes of the fixes of the series, in a sentence; ``until`` says who makes them."""
        return f"Newer kernels of {series} still come as long as a source has them; {until}."

    def hold(
        self,
        facts: Facts,
        texts: Mapping[str, str],
        series: str,
        packages: Sequence[KernelPackage],
    ) -> FileText:
        """The file that keeps these packages, which follow the series, at it; CannotHold."""

    def let_go(self, texts: Mapping[str, str], where: str) -> FileText:
        """The file as it is without our hold, which is ``where``; no text: without the file.

        CannotHold where what is there cannot be read.
        """


class ServiceGuard(Protocol):
    """Keeps the scripts of packages from starting services for the time of a crossing."""

    def guard(self, machine: Machine, later: Iterable[str]) -> Done:
        """For all services where the system does not run, else for those units only."""

    def unguard(self, machine: Machine) -> None:
        """Let everything be as it was before; does nothing where nothing was guarded."""


class Family:
    """A family. What it is able to do is None where it is not able to."""

    name: str = ""
    databases: tuple[str, ...] = ()
    """Paths by which an unknown machine is known to be of this family."""
    settings: tuple[str, ...] = ()
    """Paths below the root, beside /etc, that belong in an archive of the settings."""
    manager: PackageManager = PackageManager()
    """What findings say of the package manager, and mend by it."""
    tells_of_packages_alone = False
    """Whether its reading changes nothing of what every system has: its name, kernels, loader."""

    @property
    def reading(self) -> Reading | None:
        """Reads facts; where there is none, only what every system has is read."""
        return None

    @property
    def commands(self) -> CrossingFamily | None:
        """The package manager's commands."""
        return None

    @property
    def planner(self) -> Planner | None:
        """Plans legs."""
        return None

    @property
    def procedure(self) -> LegProcedure | None:
        """Carries legs out."""
        return None

    @property
    def guard(self) -> ServiceGuard | None:
        """Keeps services from being started; none where no script of a package starts any."""
        return None

    @property
    def packages(self) -> Packages | None:
        """Knows packages and what sources offer."""
        return None

    @property
    def kernel_holding(self) -> KernelHolding | None:
        """Holds a series of kernels."""
        return None

    @property
    def sources(self) -> Sources | None:
        """Knows the files of sources."""
        return None

    @property
    def can_cross(self) -> bool:
        """Whether its machines can be taken across."""
        return None not in (self.planner, self.procedure)

"""All versions that may stand after a leg: what is installed, and each package's candidate."""

from collections.abc import Iterable, Iterator, Mapping
from typing import Protocol

from brave_bridge.core.packages.package_version import Installed, PackageVersion
from brave_bridge.core.packages.relation import ANY_ARCHITECTURE, Atom, holds


class Archive(Protocol):
    """What the sources of a machine offer, one candidate for each slot."""

    def names(self) -> Iterator[str]:
        """The names of all packages, some more than once."""

    def __contains__(self, name: str) -> bool:
        """Whether some source has a package of that name."""

    def candidates(self, name: str) -> tuple[PackageVersion, ...]:
        """The candidate of a package, for each architecture that it is offered for."""

    def providers(self, name: str) -> set[str]:
        """The names of packages of which some version provides a name."""

    def replacing(self, name: str) -> tuple[PackageVersion, ...]:
        """The candidates that say that they take the place of packages of that name."""

    def newest(self, slot: str, name: str) -> PackageVersion | None:
        """The newest version that some source has for a slot, whether it may be chosen or not."""

    def why_not_chosen(self, version: PackageVersion) -> str:
        """What somebody set that keeps a version from being chosen; empty where nothing does."""


class FixedArchive:
    """An archive of given versions, each one a candidate."""

    def __init__(self, versions: Iterable[PackageVersion]) -> None:
        self._versions: dict[str, list[PackageVersion]] = {}
        self._providers: dict[str, set[str]] = {}
        self._replacing: dict[str, list[PackageVersion]] = {}
        for version in versions:
            self._versions.setdefault(version.name, []).append(version)
            for provided in version.provides:
                self._providers.setdefault(provided.name, set()).add(version.name)
            for replaced in version.replaces:
                self._replacing.setdefault(replaced.name, []).append(version)

    def names(self) -> Iterator[str]:
        """See Archive."""
        yield from self._versions

    def __contains__(self, name: str) -> bool:
        return name in self._versions

    def candidates(self, name: str) -> tuple[PackageVersion, ...]:
        """See Archive."""
        return tuple(self._versions.get(name, ()))

    def providers(self, name: str) -> set[str]:
        """See Archive."""
        return self._providers.get(name, set())

    def replacing(self, name: str) -> tuple[PackageVersion, ...]:
        """See Archive."""
        return tuple(self._replacing.get(name, ()))

    def newest(self, slot: str, name: str) -> PackageVersion | None:
        """See Archive."""
        return newest_of(slot, self._versions.get(name, ()))

    def why_not_chosen(self, version: PackageVersion) -> str:
        """See Archive: nothing is set against any."""
        return ""


def newest_of(slot: str, versions: Iterable[PackageVersion]) -> PackageVersion | None:
    """The newest of these versions that is for a slot."""
    fitting = (version for version in versions if version.slot == slot)
    return max(fitting, key=lambda version: version.key, default=None)


class Universe:
    """The versions that may stand, found by name and by what they provide.

    ``by_architecture``: a need is met by packages of the same architecture or by those that
    serve others (Debian's multi-arch); else by any. ``versionless_provides``: what is provided
    without a version meets needs of any version (rpm). ``takes_recommended``: what new packages
    recommend comes with them, where the machine's settings do not say otherwise.
    """

    def __init__(
        self,
        installed: Iterable[Installed],
        archive: Archive,
        *,
        by_architecture: bool = True,
        versionless_provides: bool = False,
        takes_recommended: bool = True,
    ) -> None:
        self.takes_recommended = takes_recommended
        self.installed = {one.package.slot: one for one in installed}
        self.archive = archive
        self.by_architecture = by_architecture
        self._versionless_provides = versionless_provides
        self._present: dict[str, list[PackageVersion]] = {}
        self._present_providers: dict[str, set[str]] = {}
        for one in self.installed.values():
            self._present.setdefault(one.package.name, []).append(one.package)
            for provided in one.package.provides:
                self._present_providers.setdefault(provided.name, set()).add(one.package.name)
        self._called: dict[str, tuple[PackageVersion, ...]] = {}
        self._offering: dict[str, tuple[PackageVersion, ...]] = {}

    def with_archive(self, archive: Archive) -> "Universe":
        """The same machine with other sources."""
        return self._alike(self.installed.values(), archive)

    def following(
        self,
        after: Mapping[str, PackageVersion],
        archive: Archive,
        asked_for: frozenset[str] = frozenset(),
    ) -> "Universe":
        """The machine as a plan leaves it, with the sources of the next leg.

        What came with the plan and was not ``asked_for`` came with other packages; the rest is
        as it was decided.
        """
        installed = []
        for slot, version in after.items():
            one = self.installed.get(slot)
            by_hand = one.by_hand if one is not None else slot in asked_for
            held = one is not None and one.held
            installed.append(Installed(package=version, by_hand=by_hand, held=held))
        return self._alike(installed, archive)

    def _alike(self, installed: Iterable[Installed], archive: Archive) -> "Universe":
        """Another universe of the same family."""
        return Universe(
            installed,
            archive,
            by_architecture=self.by_architecture,
            versionless_provides=self._versionless_provides,
            takes_recommended=self.takes_recommended,
        )

    def candidate(self, package: PackageVersion) -> PackageVersion | None:
        """The candidate for the slot of a package; None where no source has one."""
        for version in self.offered(package.name):
            if version.slot == package.slot:
                return version
        return None

    def offered(self, name: str) -> list[PackageVersion]:
        """The candidates of a package; one that is installed in that version is that very one."""
        found = []
        for version in self.archive.candidates(name):
            one = self.installed.get(version.slot)
            if one is not None and one.package.version == version.version:
                version = one.package
            found.append(version)
        return found

    def additions(self) -> list[PackageVersion]:
        """The candidates that come beside older versions of themselves, which stay."""
        several = {
            (one.package.name, one.package.architecture)
            for one in self.installed.values()
            if one.package.several
        }
        return [
            version
            for name, architecture in sorted(several)
            for version in self.archive.candidates(name)
            if version.architecture == architecture and version.slot not in self.installed
        ]

    def replacements(self, package: PackageVersion) -> list[PackageVersion]:
        """The candidates that take the place of an installed package."""
        return [
            version
            for version in self.archive.replacing(package.name)
            if version.name != package.name and self._names(version.replaces, version, package)
        ]

    def succeeds(self, version: PackageVersion, package: PackageVersion) -> bool:
        """Whether a version takes the whole place of a package: it replaces and opposes it.

        Debian Policy 7.6.2; a relation to what the package merely provides does not count.
        """
        return all(
            self._names(atoms, version, package) for atoms in (version.replaces, version.against)
        )

    def _names(
        self, atoms: Iterable[Atom], version: PackageVersion, package: PackageVersion
    ) -> bool:
        """Whether relations of a version are to a package itself, not to what it provides."""
        return any(
            atom.name == package.name and self.opposes(version, atom, package) for atom in atoms
        )

    def called(self, name: str) -> tuple[PackageVersion, ...]:
        """The versions of that name, candidates first."""
        if name not in self._called:
            found = dict.fromkeys(self.offered(name))
            found.update(dict.fromkeys(self._present.get(name, ())))
            self._called[name] = tuple(found)
        return self._called[name]

    def offering(self, name: str) -> tuple[PackageVersion, ...]:
        """The versions that provide a name, those installed first, then by weight and name."""
        if name not in self._offering:
            names = self.archive.providers(name) | self._present_providers.get(name, set())
            found = [
                version
                for other in sorted(names)
                for version in self.called(other)
                if any(provided.name == name for provided in version.provides)
            ]
            self._offering[name] = tuple(sorted(found, key=self._rank))
        return self._offering[name]

    def _rank(self, version: PackageVersion) -> tuple:
        return version.slot not in self.installed, _WEIGHTS.get(version.weight, 4), version.name

    def meeting(self, atom: Atom, architecture: str) -> list[PackageVersion]:
        """The versions that meet a need of a package of an architecture."""
        found = [v for v in self.called(atom.name) if self.serves(atom, v, architecture)]
        for version in self.offering(atom.name):
            if version.name == atom.name or version in found:
                continue
            if self.serves(atom, version, architecture):
                found.append(version)
        return found

    def is_met_by(self, atom: Atom, version: PackageVersion) -> bool:
        """Whether a version is what an atom names, by itself or by what it provides."""
        if version.name == atom.name and (
            not atom.operator or holds(version.key, atom.operator, atom.key)
        ):
            return True
        if atom.by_name:
            return False
        for provided in version.provides:
            if provided.name != atom.name:
                continue
            if not atom.operator:
                return True
            if provided.key is None:
                if self._versionless_provides:
                    return True
            elif holds(provided.key, atom.operator, atom.key):
                return True
        return False

    def serves(self, atom: Atom, version: PackageVersion, architecture: str) -> bool:
        """Whether a version meets a need of a package of an architecture."""
        return self.is_met_by(atom, version) and self._serves(version, atom, architecture)

    def opposes(self, version: PackageVersion, atom: Atom, other: PackageVersion) -> bool:
        """Whether an atom that a version is against, or takes the place of, means another.

        As dpkg reads it: those of every architecture unless it names one, and never the
        package itself, of whatever architecture.
        """
        if not self.by_architecture:
            return other.slot != version.slot and self.is_met_by(atom, other)
        return (
            other.name != version.name
            and atom.architecture in ("", ANY_ARCHITECTURE, other.architecture)
            and self.is_met_by(atom, other)
        )

    def _serves(self, version: PackageVersion, atom: Atom, architecture: str) -> bool:
        if not self.by_architecture:
            return True
        if not atom.architecture:
            return version.architecture == architecture or version.foreign
        if atom.architecture == ANY_ARCHITECTURE:
            return version.allowed
        return version.architecture == atom.architecture


_WEIGHTS = {"required": 0, "important": 1, "standard": 2, "optional": 3, "extra": 4}

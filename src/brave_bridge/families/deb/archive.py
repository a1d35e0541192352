"""What a machine's sources offer: each package's candidate, as apt's policy chooses it."""

from collections.abc import Iterable, Iterator, Mapping

from brave_bridge.core.formats.packages.deb_index import DebIndex
from brave_bridge.core.packages.package_version import PackageVersion
from brave_bridge.core.planning.universe import newest_of
from brave_bridge.families.deb.policy import Origin, Policy


class DebArchive:
    """Several indices under one policy; see ``Archive`` of the planning room.

    ``installed`` maps slots to what stands there: a candidate may be that very version.
    ``architectures`` are those that the machine takes packages of, the native one first.
    """

    def __init__(
        self,
        indices: Iterable[tuple[DebIndex, Origin]],
        policy: Policy,
        architectures: tuple[str, ...],
        installed: Mapping[str, PackageVersion],
    ) -> None:
        self._indices = list(indices)
        self._policy = policy
        self.architectures = architectures
        self._installed = installed
        self._candidates: dict[str, tuple[PackageVersion, ...]] = {}

    def names(self) -> Iterator[str]:
        """See Archive."""
        for index, _ in self._indices:
            yield from index.names()

    def __contains__(self, name: str) -> bool:
        return any(name in index for index, _ in self._indices)

    def candidates(self, name: str) -> tuple[PackageVersion, ...]:
        """The candidate of a package for each architecture that it is offered for."""
        if name not in self._candidates:
            self._candidates[name] = tuple(self._chosen(name))
        return self._candidates[name]

    def providers(self, name: str) -> set[str]:
        """The names of packages of which some version provides a name."""
        return {version.name for index, _ in self._indices for version in index.providers(name)}

    def replacing(self, name: str) -> tuple[PackageVersion, ...]:
        """Nothing: in deb archives a successor does not come by itself."""
        return ()

    def newest(self, slot: str, name: str) -> PackageVersion | None:
        """See Archive."""
        return newest_of(slot, (v for index, _ in self._indices for v in index.versions(name)))

    def why_not_chosen(self, version: PackageVersion) -> str:
        """See Archive."""
        origins = [
            origin for index, origin in self._indices if version in index.versions(version.name)
        ]
        pin = self._policy.pin_against(version, origins)
        return f"pinned to {pin.selects} (priority {pin.priority}) in {pin.where}" if pin else ""

    def _chosen(self, name: str) -> Iterator[PackageVersion]:
        slots: dict[str, dict[str, tuple[PackageVersion, list[Origin]]]] = {}
        for index, origin in self._indices:
            for version in index.versions(name):
                if version.architecture in self.architectures:
                    offers = slots.setdefault(version.slot, {})
                    offers.setdefault(version.version, (version, []))[1].append(origin)
        for slot, offers in slots.items():
            candidate = self._policy.candidate(offers.values(), self._installed.get(slot))
            if candidate is not None:
                yield candidate

"""One version of a package, installed or offered, as the planner sees it."""

from collections.abc import Callable
from functools import cached_property

import msgspec

from brave_bridge.core.packages.relation import Atom, Clause, Key, Provided


class Relations(msgspec.Struct, frozen=True, gc=False):
    """What a version says of others.

    ``needs`` must hold while it stands, ``recommends`` should, nothing in
    ``against`` may stand beside it, and it takes the place of what is in ``replaces``.
    """

    needs: tuple[Clause, ...] = ()
    recommends: tuple[Clause, ...] = ()
    against: tuple[Atom, ...] = ()
    replaces: tuple[Atom, ...] = ()


class Details(msgspec.Struct, frozen=True, gc=False):
    """What is told of a version to a person, and what fetching needs. Sizes in bytes.

    ``path`` is where its file is below the archive's root.
    """

    section: str = ""
    source: str = ""
    download_bytes: int = 0
    disk_bytes: int = 0
    path: str = ""
    sha256: str = ""


class PackageVersion(msgspec.Struct, frozen=True, eq=False, dict=True, kw_only=True):
    """A version that may stand on a machine; at most one of a ``slot`` stands at a time.

    ``read_relations`` and ``read_details`` are asked at most once, and for most versions
    never. ``suite`` tells the archive that offers it, empty for what is only installed.
    """

    name: str
    architecture: str
    version: str
    key: Key
    slot: str
    read_relations: Callable[[], Relations]
    read_details: Callable[[], Details]
    provides: tuple[Provided, ...] = ()
    together: bool = False
    """Whether versions of several architectures stand only where they are equal."""
    foreign: bool = False
    """Whether it serves packages of every architecture."""
    allowed: bool = False
    """Whether it serves those of other architectures that ask for ``:any``."""
    several: bool = False
    """Whether several versions of it stand at a time, as kernels of rpm systems do."""
    essential: bool = False
    """Whether the system does not work without it."""
    weight: str = "optional"
    """Its priority: ``required``, ``important``, ``standard``, ``optional``, ``extra``."""
    suite: str = ""

    @cached_property
    def relations(self) -> Relations:
        """What it says of others."""
        return self.read_relations()

    @cached_property
    def details(self) -> Details:
        """What is told of it to a person."""
        return self.read_details()

    @property
    def needs(self) -> tuple[Clause, ...]:
        """See Relations."""
        return self.relations.needs

    @property
    def recommends(self) -> tuple[Clause, ...]:
        """See Relations."""
        return self.relations.recommends

    @property
    def against(self) -> tuple[Atom, ...]:
        """See Relations."""
        return self.relations.against

    @property
    def replaces(self) -> tuple[Atom, ...]:
        """See Relations."""
        return self.relations.replaces

    @property
    def is_base(self) -> bool:
        """Whether it is part of the base system, which no system of its kind is without."""
        return self.essential or self.weight in ("required", "important")

    @property
    def label(self) -> str:
        """Its name, with the architecture where a deb is not of the machine's own."""
        return self.slot if self.slot == f"{self.name}:{self.architecture}" else self.name

    @property
    def title(self) -> str:
        """As a person says it: ``nginx 1.22.1-9``."""
        return f"{self.label} {self.version}"


class Installed(msgspec.Struct, frozen=True, kw_only=True):
    """A version that stands on the machine, and what was decided about it there.

    ``by_hand``: somebody asked for it, it did not come with another package.
    """

    package: PackageVersion
    by_hand: bool = True
    held: bool = False
    whole: bool = True
    """Whether its installation ended well."""

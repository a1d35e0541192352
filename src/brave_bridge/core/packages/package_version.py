"""One version of a package, installed or offered, as the planner sees it."""

import msgspec

from brave_bridge.core.packages.relation import Atom, Clause, Key, Provided


class PackageVersion(msgspec.Struct, frozen=True, eq=False, kw_only=True):
    """A version that may stand on a machine; at most one of a ``slot`` stands at a time.

    ``needs`` must hold while it stands, ``wishes`` (recommendations) should, and nothing in
    ``against`` may stand beside it. Sizes: ``download_bytes``, and ``disk_bytes`` installed.
    ``suite`` tells the archive that offers it, empty for what is only installed.
    """

    name: str
    architecture: str
    version: str
    key: Key
    slot: str
    needs: tuple[Clause, ...] = ()
    wishes: tuple[Clause, ...] = ()
    against: tuple[Atom, ...] = ()
    provides: tuple[Provided, ...] = ()
    replaces: tuple[Atom, ...] = ()
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
    section: str = ""
    source: str = ""
    download_bytes: int = 0
    disk_bytes: int = 0
    suite: str = ""
    path: str = ""
    """Where its file is below the archive's root."""
    sha256: str = ""

    @property
    def title(self) -> str:
        """As a person says it: ``nginx 1.22.1-9``."""
        return f"{self.name} {self.version}"


class Installed(msgspec.Struct, frozen=True, kw_only=True):
    """A version that stands on the machine, and what was decided about it there.

    ``by_hand``: somebody asked for it, it did not come with another package.
    """

    package: PackageVersion
    by_hand: bool = True
    held: bool = False
    whole: bool = True
    """Whether its installation ended well."""

"""A package on a machine, as its family's database has it."""

import msgspec


class InstalledPackage(msgspec.Struct, frozen=True):
    """One package that a package database knows.

    ``want``, ``fault`` and ``state`` are the words of dpkg's Status field (dpkg(1)); other
    families have whole packages only. ``conffiles`` maps a path to the MD5 sum of the file
    as it was shipped. ``installed_at`` is ISO 8601 where the database says it.
    """

    name: str
    version: str
    architecture: str
    want: str = "install"
    state: str = "installed"
    fault: str = "ok"
    essential: bool = False
    priority: str = ""
    section: str = ""
    installed_kib: int = 0
    conffiles: dict[str, str] = {}
    depends: str = ""
    provides: str = ""
    vendor: str = ""
    installed_at: str = ""
    kernel: str = ""
    """The version of the kernel whose image it has, where the database tells by its files."""
    source: str = ""
    """The package of sources that it was built of, where the database names it."""
    by_hand: bool | None = None
    """Whether somebody asked for it; None where that is not told."""

    held_by: str = ""
    """Where it is written that it is held, beside the database; empty where that itself has it."""

    @property
    def is_present(self) -> bool:
        """Whether any of it is on the machine beyond its config files."""
        return self.state not in ("not-installed", "config-files")

    @property
    def is_broken(self) -> bool:
        """Whether an installation of it began and did not end well."""
        return self.is_present and (self.state != "installed" or self.fault != "ok")

    @property
    def is_held(self) -> bool:
        """Whether the administrator keeps it from changing."""
        return self.want == "hold"

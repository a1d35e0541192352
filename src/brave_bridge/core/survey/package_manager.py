"""What a finding has to know of a machine's package manager, as plain data of its family."""

import msgspec

Commands = tuple[tuple[str, ...], ...]
"""Commands in order, each as its argv."""


class PackageManager(msgspec.Struct, frozen=True):
    """Its commands and places; empty where it has none, or nobody knows.

    ``let_go``, ``upgrade`` are beginnings of commands that names of packages are put behind.
    """

    name: str = ""
    tools: tuple[str, ...] = ()
    """The programs that change packages: what runs them keeps to the policy of a stage."""
    refresh: Commands = ()
    """Fetch what the sources have."""
    clean: Commands = ()
    """Let go of packages that were fetched."""
    finish: Commands = ()
    """Finish what is half installed, and mend dependencies."""
    mend: Commands = ()
    """Mend dependencies."""
    let_go: tuple[str, ...] = ()
    """End the hold on packages."""
    upgrade: tuple[str, ...] = ()
    """Bring single packages up to date."""
    dates_package: str = ""
    """The package that brings the published table of releases."""
    indices: str = ""
    """Where it keeps what the sources have."""
    keys: str = ""
    """The folder of keys that hold for every source."""
    old_keys: str = ""
    """A file of such keys that newer releases no longer read."""

    set_aside: tuple[str, ...] = ()
    """The endings of config files that it puts beside the ones that are in use."""
    restart_marks: tuple[str, ...] = ("/run/reboot-required", "/run/reboot-required.pkgs")
    """The file by which it says that a restart is wanted, and the one that says by whom."""

    @property
    def shared_keys(self) -> tuple[str, ...]:
        """Where keys stand that hold for every source."""
        return tuple(place for place in (self.old_keys, self.keys) if place)

    @staticmethod
    def said(commands: Commands) -> str:
        """Commands as a person types them, one after the other."""
        return ", then ".join(" ".join(argv) for argv in commands)

"""What a machine is made of: how it was booted, processor, memory, power, disks and room."""

import msgspec

from brave_bridge.core.formats.disk_health import FAILING
from brave_bridge.core.kernels.kernel_package import series_of


class FirmwareOption(msgspec.Struct, frozen=True):
    """Something that the firmware can start: its number, its title, the file that it starts.

    ``place`` is where it stands in the firmware's order, counted from 1, 0 where it does not;
    ``next``: it is chosen for the next boot alone; ``current``: this boot came by it.
    """

    number: int
    title: str
    file: str = ""
    place: int = 0
    next: bool = False
    current: bool = False

    @property
    def name(self) -> str:
        """Its number as the firmware writes it."""
        return f"{self.number:04X}"


PAST_MARK = "/.brave-bridge-past"
"""The file by which a past system knows that it is one: the id of its way back."""


class Boot(msgspec.Struct, frozen=True):
    """How the running system came up.

    ``firmware`` is ``efi``, ``bios`` or empty where it is not known; ``command_line`` is the
    kernel's (proc_cmdline(5)); ``settings`` are the parameters that the boot loader's own
    files ask for; ``id`` changes with every boot. ``uptime_seconds`` is 0 where nothing runs.
    ``options`` are what the firmware can start, in its order; ``first_process`` the name of
    process 1; ``past`` the way back of the past system that this one is, empty for an ordinary one.
    """

    kernel: str = ""
    command_line: str = ""
    settings: str = ""
    firmware: str = ""
    secure_boot: bool | None = None
    uptime_seconds: int = 0
    booted_at: str = ""
    id: str = ""
    options: tuple[FirmwareOption, ...] = ()
    first_process: str = ""
    past: str = ""

    @property
    def series(self) -> str:
        """The running kernel's series: ``6.1`` of ``6.1.0-28-amd64``."""
        return series_of(self.kernel)


class LastBoot(msgspec.Struct, frozen=True):
    """The newest boot that the system itself wrote down, for one that does not run now.

    ``mark`` changes with every boot; ``failed`` are the units that had failed then; ``rescue``:
    it came up in an emergency state; ``where`` it was read.
    """

    mark: str = ""
    kernel: str = ""
    at: str = ""
    release: str = ""
    failed: tuple[str, ...] = ()
    rescue: bool = False
    where: str = ""


class Device(msgspec.Struct, frozen=True):
    """A device on a bus: its modalias (as in sysfs) and the driver bound to it, if any."""

    path: str
    modalias: str
    driver: str


class Module(msgspec.Struct, frozen=True):
    """A kernel module from outside the kernel's own tree.

    ``origin`` is ``dkms`` (rebuilt for each kernel) or ``loaded`` (found in the kernel);
    ``built_for`` are the kernels that it was rebuilt for.
    """

    name: str
    origin: str
    version: str = ""
    built_for: tuple[str, ...] = ()


class Power(msgspec.Struct, frozen=True):
    """Where the current comes from. ``on_battery`` is None where no supply reports itself."""

    on_battery: bool | None = None
    percent: int | None = None


class Hardware(msgspec.Struct, frozen=True):
    """Processor, memory and what is built in. Memory in bytes, 0 where it is not known.

    ``level`` is that of the processor's architecture (``x86-64-v3``, ``armv8.2-a``).
    """

    processor: str = ""
    processors: int = 0
    flags: frozenset[str] = frozenset()
    level: str = ""
    memory_bytes: int = 0
    security_chip: str = ""
    model: str = ""
    power: Power = Power()
    devices: tuple[Device, ...] = ()
    modules: tuple[Module, ...] = ()


class Space(msgspec.Struct, frozen=True):
    """Room on the file system that holds ``path``, in bytes and inodes (statvfs(3)).

    ``device`` tells file systems apart. ``total_inodes`` is 0 where they are not counted.
    """

    path: str
    free_bytes: int
    total_bytes: int
    free_inodes: int
    total_inodes: int = 0
    device: int = 0


_GONE_STATES = ("offline", "transport-offline", "cancel", "deleted", "deleting", "dead")
"""States of a disk, as SCSI and NVMe in the kernel call them, in which nothing is read from it."""

WELL = "well"
"""How a disk is that says nothing against itself."""


class Disk(msgspec.Struct, frozen=True):
    """A disk: size in bytes; ``turns`` is whether it is a spinning one, None where not told.

    ``mark`` tells it from all others (its WWID), ``state`` is the kernel's word for it and
    ``health`` its own (``disk_health``); each empty where nobody tells.
    """

    name: str
    size_bytes: int
    model: str = ""
    turns: bool | None = None
    mark: str = ""
    state: str = ""
    health: str = ""
    is_removable: bool = False

    @property
    def is_made_of_others(self) -> bool:
        """Whether it is a mapping or an array of other disks."""
        return self.name.startswith(("dm-", "md"))

    @property
    def label(self) -> str:
        """Its name, and what it is."""
        return f"{self.name} ({self.model})" if self.model else self.name

    @property
    def illness(self) -> str:
        """What is wrong with it, in words; empty where nobody says that anything is."""
        if self.state in _GONE_STATES:
            return f"the kernel calls it {self.state}"
        return "it says of itself that it fails" if self.health == FAILING else ""


class BoardFile(msgspec.Struct, frozen=True):
    """A text file from which a small board's firmware boots, as it stands.

    ``shipped`` is the text as it came the last time, empty where nobody knows; ``written`` what we
    made of it then. ``record`` is where both are kept.
    """

    path: str
    text: str
    shipped: str = ""
    written: str = ""
    record: str = ""


class BuiltKernel(msgspec.Struct, frozen=True):
    """A kernel that was built here: how many options it must have, and which it has not.

    ``where`` its configuration was read: that of the running kernel itself, where it tells.
    """

    release: str
    protected: int
    where: str
    faults: tuple[str, ...] = ()


class Kernel(msgspec.Struct, frozen=True):
    """A kernel image on the machine; ``running`` where it is the one in use.

    ``size_bytes`` is the image's, ``boot_bytes`` all that this version has in /boot.
    ``installed_at`` (ISO 8601) is when the newest of these was written, empty where not known.
    ``signed``: it carries a signature that a firmware can ask for; None where that is not told.
    """

    version: str
    path: str
    size_bytes: int
    running: bool = False
    boot_bytes: int = 0
    installed_at: str = ""
    signed: bool | None = None
    initrd: str | None = None
    """Its initial file system in /boot, empty where it has none; None where that is not known."""
    modules: bool | None = None
    """Whether the list of its modules is there, as depmod(8) makes it; None where not known."""

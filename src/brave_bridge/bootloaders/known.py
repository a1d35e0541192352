"""The boot loaders that are known, and the one that a machine has.

The one reader of a loader's files: whoever wants to know what boots asks here.
"""

import msgspec

from brave_bridge.bootloaders.extlinux import Extlinux
from brave_bridge.bootloaders.grub import Grub
from brave_bridge.bootloaders.loader import BootLoader
from brave_bridge.bootloaders.systemd_boot import SystemdBoot
from brave_bridge.bootloaders.without_menu import Board, OfTheSystem, Slots
from brave_bridge.core.boot.entries import Loader
from brave_bridge.core.boot.loader_faults import missing_files
from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Names, Query, Seen

LOADERS: dict[str, BootLoader] = {
    loader.kind: loader
    for loader in (Grub(), SystemdBoot(), Board(), Extlinux(), Slots(), OfTheSystem())
}
"""By kind, the one that is looked for first comes first."""

UNKNOWN = BootLoader()
_MOST_FAULTS = 40


def queries() -> tuple[Query, ...]:
    """What all of them are read from."""
    own = (query for one in LOADERS.values() for query in one.queries)
    return (*dict.fromkeys(own), Names(("/boot/*",)))


def boot_loader(loader: Loader) -> BootLoader:
    """What can be done with a machine's loader."""
    return LOADERS.get(loader.kind, UNKNOWN)


def read_loader(machine: Machine) -> Loader:
    """Look for a loader's files; what cannot be read counts as not there."""
    return loader_in(machine.files.gather(queries()))


def loader_in(seen: Seen) -> Loader:
    """The loader that what was seen belongs to, with what does not fit together."""
    known = there(seen)
    loader = known.read(seen)
    names = frozenset(found.path.rpartition("/")[2] for found in seen.paths("/boot/*"))
    images = {entry.image.rpartition("/")[2] for entry in loader.entries}
    has_kernels = any(name.startswith("vmlinu") for name in names)
    if not names & images and not (known.kernels_beside_menu and has_kernels):
        # None of them is there: the partition is not mounted, which another point tells.
        return loader
    faults = (*loader.faults, *missing_files(loader, names))
    return msgspec.structs.replace(loader, faults=faults[:_MOST_FAULTS])


def there(seen: Seen) -> BootLoader:
    """Which of them what was seen belongs to."""
    return next((one for one in LOADERS.values() if one.is_there(seen)), UNKNOWN)

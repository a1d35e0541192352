"""Which boot loader a machine has, and the entries in its files."""

from brave_bridge.core.boot.entries import BootEntry, Loader, read_grub_menu, read_loader_entry
from brave_bridge.core.formats.text import decoded
from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Contents, Names, Query, Seen

_GRUB_MENUS = ("/boot/grub/grub.cfg", "/boot/grub2/grub.cfg")
_ENTRY_FILES = tuple(f"{folder}/loader/entries/*.conf" for folder in ("/boot", "/efi", "/boot/efi"))
_BOARD = ("/boot/firmware/config.txt", "/boot/config.txt")
_EXTLINUX = "/boot/extlinux/extlinux.conf"
_LIMIT = 4_000_000
_MOST_ENTRIES = 200

QUERIES: tuple[Query, ...] = (
    Contents(_GRUB_MENUS, _LIMIT),
    Contents(_ENTRY_FILES),
    Names((*_BOARD, _EXTLINUX)),
)


def read_loader(machine: Machine) -> Loader:
    """Look for a loader's files; what cannot be read counts as not there."""
    return loader_in(machine.files.gather(QUERIES))


def loader_in(seen: Seen) -> Loader:
    """The loader that what was seen belongs to."""
    for menu in _GRUB_MENUS:
        if text := seen.text(menu):
            return Loader("grub", tuple(read_grub_menu(text)))
    if entries := _entries(seen):
        return Loader("systemd-boot", entries)
    if any(path in seen.found for path in _BOARD):
        return Loader("board")
    return Loader("extlinux" if _EXTLINUX in seen.found else "")


def _entries(seen: Seen) -> tuple[BootEntry, ...]:
    for pattern in _ENTRY_FILES:
        folder = pattern.rpartition("/")[0]
        paths = sorted(path for path in seen.contents if path.rpartition("/")[0] == folder)
        texts = (decoded(seen.contents[path]) for path in paths[:_MOST_ENTRIES])
        if found := tuple(entry for text in texts if (entry := read_loader_entry(text))):
            return found
    return ()

"""Boot entries in files of their own (Boot Loader Specification), whichever loader reads them."""

from collections.abc import Iterator

from brave_bridge.bootloaders.systemd_boot_writing import FOLDERS
from brave_bridge.core.boot.entries import BootEntry
from brave_bridge.core.boot.loader_entries import in_menu_order, read_loader_entry
from brave_bridge.core.formats.text import decoded
from brave_bridge.machines.queries import Contents, Query, Seen

_PATTERNS = tuple(f"{folder}/entries/*.conf" for folder in FOLDERS)
_MOST = 200

QUERIES: tuple[Query, ...] = (Contents(_PATTERNS),)


def read(seen: Seen) -> tuple[BootEntry, ...]:
    """The entries of the first folder that has some, in the order of a menu."""
    for pattern in _PATTERNS:
        folder = pattern.rpartition("/")[0]
        paths = sorted(path for path in seen.contents if path.rpartition("/")[0] == folder)
        if found := tuple(_entries(seen, paths[:_MOST])):
            return in_menu_order(found)
    return ()


def _entries(seen: Seen, paths: list[str]) -> Iterator[BootEntry]:
    for path in paths:
        entry = read_loader_entry(decoded(seen.contents[path]), path)
        if entry is not None:
            yield entry

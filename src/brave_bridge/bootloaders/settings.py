"""The settings that a machine is to boot with, in the files of its loader or firmware."""

from brave_bridge.bootloaders.known import LOADERS, there
from brave_bridge.bootloaders.without_menu import BOARD_FILES
from brave_bridge.core.formats.text import one_line
from brave_bridge.machines.queries import Contents, Query, Seen

_COMMON = "/etc/kernel/cmdline"
"""Read by whatever installs kernels, whichever loader there is (kernel-install(8))."""

_ANY_LOADERS = ("/etc/kernel/", "/boot/")

QUERIES: tuple[Query, ...] = (
    Contents((_COMMON, *BOARD_FILES, *(f"{path}.shipped" for path in BOARD_FILES))),
)


def places() -> tuple[str, ...]:
    """Files, and folders ending in a slash, in which people change how a machine boots."""
    return (*_ANY_LOADERS, *(path for one in LOADERS.values() for path in one.settings))


def options_asked_for(seen: Seen) -> str:
    """The kernel's options as the loader's or firmware's own files have them."""
    if words := seen.word(_COMMON):
        return one_line(words, 2000)
    asked = (one.options(seen) for one in (there(seen), *LOADERS.values()))
    return one_line(next(filter(None, asked), ""), 2000)


def changed_settings(seen: Seen) -> tuple[str, ...]:
    """The firmware's settings files that differ from the copy that came with them."""
    return tuple(
        path
        for path in BOARD_FILES
        if path in seen.contents
        and seen.contents.get(f"{path}.shipped", seen.contents[path]) != seen.contents[path]
    )

"""The settings that a machine is to boot with, in the files of its loader or firmware."""

from brave_bridge.core.boot.grub_defaults import settings_in
from brave_bridge.core.formats.text import one_line
from brave_bridge.machines.queries import Contents, Query, Seen

_GRUB_DEFAULTS = "/etc/default/grub"
_GRUB_PARTS = "/etc/default/grub.d/*.cfg"
_ONE_LINE = ("/etc/kernel/cmdline", "/boot/firmware/cmdline.txt", "/boot/cmdline.txt")
FIRMWARE = (
    "/boot/firmware/config.txt",
    "/boot/config.txt",
    "/boot/firmware/cmdline.txt",
    "/boot/cmdline.txt",
)
"""What a small board's firmware reads."""

_OPTIONS = ("GRUB_CMDLINE_LINUX", "GRUB_CMDLINE_LINUX_DEFAULT")

QUERIES: tuple[Query, ...] = (
    Contents(
        (
            _GRUB_DEFAULTS,
            _GRUB_PARTS,
            *_ONE_LINE,
            *FIRMWARE,
            *(f"{path}.shipped" for path in FIRMWARE),
        )
    ),
)


def options_asked_for(seen: Seen) -> str:
    """The kernel's options as the loader's or firmware's own files have them."""
    for path in _ONE_LINE:
        if words := seen.word(path):
            return one_line(words, 2000)
    values: dict[str, str] = {}
    for path in (_GRUB_DEFAULTS, *(path for path, _ in seen.texts(_GRUB_PARTS))):
        known = settings_in(seen.text(path) or "")
        values |= {name: known[name] or "" for name in _OPTIONS if name in known}
    return one_line(" ".join(filter(None, values.values())), 2000)


def changed_settings(seen: Seen) -> tuple[str, ...]:
    """The firmware's settings files that differ from the copy that came with them."""
    return tuple(
        path
        for path in FIRMWARE
        if path in seen.contents
        and seen.contents.get(f"{path}.shipped", seen.contents[path]) != seen.contents[path]
    )

"""Which boot loader a machine has, and the entries in its files."""

import msgspec

from brave_bridge.core.boot.entries import BootEntry, read_grub_menu, read_loader_entry
from brave_bridge.core.formats.text import decoded
from brave_bridge.machines.port import Machine, MachineError

_GRUB_MENUS = ("/boot/grub/grub.cfg", "/boot/grub2/grub.cfg")
_ENTRY_FOLDERS = ("/boot/loader/entries", "/efi/loader/entries", "/boot/efi/loader/entries")
_BOARD = ("/boot/firmware/config.txt", "/boot/config.txt")
_EXTLINUX = "/boot/extlinux/extlinux.conf"
_LIMIT = 4_000_000
_MOST_ENTRIES = 200


class Loader(msgspec.Struct, frozen=True):
    """``grub``, ``systemd-boot``, ``extlinux``, ``board`` or empty where none is known."""

    kind: str = ""
    entries: tuple[BootEntry, ...] = ()


def read_loader(machine: Machine) -> Loader:
    """Look for a loader's files; what cannot be read counts as not there."""
    for menu in _GRUB_MENUS:
        if text := _text(machine, menu):
            return Loader("grub", tuple(read_grub_menu(text)))
    paths = [path for folder in _ENTRY_FOLDERS for path in machine.matching(f"{folder}/*.conf")]
    if paths:
        texts = [_text(machine, path) for path in paths[:_MOST_ENTRIES]]
        found = [entry for text in texts if (entry := read_loader_entry(text))]
        return Loader("systemd-boot", tuple(found))
    if any(machine.is_file(path) for path in _BOARD):
        return Loader("board")
    return Loader("extlinux" if machine.is_file(_EXTLINUX) else "")


def _text(machine: Machine, path: str) -> str:
    try:
        return decoded(machine.read_if_there(path, _LIMIT) or b"")
    except MachineError:
        return ""

"""Which boot loader a machine has, its entries, and what it was told to boot.

The one reader of a loader's files: whoever wants to know what boots asks here.
"""

import re
from collections.abc import Iterator
from fnmatch import fnmatchcase

import msgspec

from brave_bridge.bootloaders import extlinux
from brave_bridge.bootloaders.grub import ESPS, ON_ESP
from brave_bridge.bootloaders.grub import FOLDERS as _GRUB_FOLDERS
from brave_bridge.bootloaders.systemd_boot import FOLDERS as _LOADER_FOLDERS
from brave_bridge.core.boot.counted_trial import TRIAL_FILE
from brave_bridge.core.boot.entries import BootEntry, Loader, LoaderFault
from brave_bridge.core.boot.extlinux import MENU, read_extlinux
from brave_bridge.core.boot.extlinux_trial import read_once
from brave_bridge.core.boot.grub_environment import DamagedBlock, read_environment
from brave_bridge.core.boot.grub_menu import GrubMenu, defaults_in, found_by, read_grub_menu
from brave_bridge.core.boot.grub_trial import MARK, TRIAL_ID, reads_custom
from brave_bridge.core.boot.loader_entries import in_menu_order, read_loader_entry
from brave_bridge.core.boot.loader_faults import BLOCK, CHOICE, missing_files
from brave_bridge.core.boot.loader_settings import default_of
from brave_bridge.core.formats.text import decoded, one_line
from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Contents, Names, Query, Seen

_GRUB_MENUS = tuple(f"{folder}/grub.cfg" for folder in _GRUB_FOLDERS)
_GRUB_CUSTOMS = tuple(f"{folder}/custom.cfg" for folder in _GRUB_FOLDERS)
_GRUB_BLOCKS = tuple(f"{folder}/grubenv" for folder in _GRUB_FOLDERS)
_ENTRY_FILES = tuple(f"{folder}/entries/*.conf" for folder in _LOADER_FOLDERS)
_LOADER_CONFS = tuple(f"{folder}/loader.conf" for folder in _LOADER_FOLDERS)
_BOARD = ("/boot/firmware/config.txt", "/boot/config.txt")
_EFIVARS = "/sys/firmware/efi/efivars"
_LOADER_GUID = "4a67b082-0a4c-41cf-b6c7-440b29bb8c4f"
"""The vendor of the variables in which loaders of the Boot Loader Interface keep choices."""
_CHOICES = tuple(f"{_EFIVARS}/LoaderEntry{name}-{_LOADER_GUID}" for name in ("Default", "OneShot"))
_MARKS = tuple(f"{esp}{ON_ESP}" for esp in ESPS)
_LIMIT = 4_000_000
_MOST_ENTRIES = 200
_MOST_FAULTS = 40
_BLS_COMMAND = re.compile(r"^\s*blscfg\b", re.MULTILINE)

QUERIES: tuple[Query, ...] = (
    Contents((*_GRUB_MENUS, *_GRUB_CUSTOMS), _LIMIT),
    Contents((*_GRUB_BLOCKS, *_MARKS), 64 * 1024),
    Contents((*_ENTRY_FILES, *_LOADER_CONFS)),
    *extlinux.QUERIES,
    Contents(_CHOICES, 16 * 1024),
    Names((*_BOARD, "/boot/*")),
)


def read_loader(machine: Machine) -> Loader:
    """Look for a loader's files; what cannot be read counts as not there."""
    return loader_in(machine.files.gather(QUERIES))


def loader_in(seen: Seen) -> Loader:
    """The loader that what was seen belongs to, with what does not fit together."""
    loader = _loader(seen)
    names = frozenset(found.path.rpartition("/")[2] for found in seen.paths("/boot/*"))
    images = {entry.image.rpartition("/")[2] for entry in loader.entries}
    is_its_place = loader.kind == "grub" and any(name.startswith("vmlinu") for name in names)
    if not names & images and not is_its_place:
        # None of them is there: the partition is not mounted, which another point tells.
        return loader
    faults = (*loader.faults, *missing_files(loader, names))
    return msgspec.structs.replace(loader, faults=faults[:_MOST_FAULTS])


def _loader(seen: Seen) -> Loader:
    for folder, menu in zip(_GRUB_FOLDERS, _GRUB_MENUS, strict=True):
        if text := seen.text(menu):
            return _grub(seen, folder, text)
    if entries := _entries(seen):
        return _systemd_boot(seen, entries)
    if any(path in seen.found for path in _BOARD):
        return Loader("board")
    if text := seen.text(MENU):
        return _extlinux(seen, text)
    return Loader()


def _extlinux(seen: Seen, text: str) -> Loader:
    menu = read_extlinux(text, extlinux.texts_beside(seen.contents))
    first = menu.entries[0].id if menu.entries else ""
    named = menu.default or first
    words = f"{named} is to be booted, and the menu has no such entry"
    is_there = any(entry.id == named for entry in menu.entries)
    once = read_once(seen.contents.get(extlinux.LOADER, b""))
    return Loader(
        "extlinux",
        menu.entries,
        named,
        once.partition(" ")[0] if once else "",
        # The menu's own file, where firmware reads it and not the loader of that name.
        MENU if once is None else extlinux.LOADER,
        () if is_there else (LoaderFault(CHOICE, words, next_boot=True),),
        tool=extlinux.tool_in(seen),
    )


def _grub(seen: Seen, folder: str, text: str) -> Loader:
    menu = read_grub_menu(text)
    custom = (seen.text(f"{folder}/custom.cfg") or "") if reads_custom(text) else ""
    if _BLS_COMMAND.search(text):
        menu = GrubMenu(_entries(seen) + menu.entries, menu.default, menu.knows_once)
    block = f"{folder}/grubenv"
    variables, faults = _environment(seen, block)
    variables |= _environment(seen, next((m for m in _MARKS if m in seen.contents), ""))[0]
    chosen = variables.get("saved_entry", "") if menu.default == "saved" else menu.default
    once = variables.get("next_entry", "") if menu.knows_once else ""
    if custom:
        # Read behind all else: what it sets holds.
        menu = GrubMenu(menu.entries + read_grub_menu(custom).entries, menu.default)
        chosen = (defaults_in(custom) or [chosen])[-1]
        once = TRIAL_ID if MARK in custom and variables.get(MARK) == "1" else once
    default = chosen or "0"
    for choice in filter(None, (default, once)):
        if menu.entries and found_by(menu, choice) is None:
            words = f"{choice} is to be booted, and the menu has no such entry"
            faults += (LoaderFault(CHOICE, words),)
    remembers = block if block in seen.contents else ""
    return Loader(
        "grub",
        menu.entries,
        _id_of(menu, default),
        _id_of(menu, once),
        remembers,
        faults,
        reads_custom=reads_custom(text),
    )


def _id_of(menu: GrubMenu, choice: str) -> str:
    entry = found_by(menu, choice) if choice else None
    return entry.id if entry else choice


def _environment(seen: Seen, block: str) -> tuple[dict[str, str], tuple[LoaderFault, ...]]:
    if block not in seen.contents:
        return {}, ()
    try:
        return read_environment(seen.contents[block]), ()
    except DamagedBlock as fault:
        return {}, (LoaderFault(BLOCK, f"{block} is damaged: {fault}"),)


def _systemd_boot(seen: Seen, entries: tuple[BootEntry, ...]) -> Loader:
    conf = next((path for path in _LOADER_CONFS if path in seen.contents), "")
    kept, once = (_variable(seen, path) for path in _CHOICES)
    pattern = kept or default_of(seen.text(conf) or "")
    fitting = (entry.id for entry in entries if pattern and _fits(entry.id, pattern))
    first = next((one for one in entries if one.id != TRIAL_FILE), entries[0])
    if entries[0].id == TRIAL_FILE and not (once or pattern):
        once = TRIAL_FILE
    return Loader(
        "systemd-boot",
        entries,
        next(fitting, first.id),
        once,
        conf,
        (LoaderFault(CHOICE, f"{pattern} is to be booted, and no entry is called so"),)
        if pattern and not any(_fits(entry.id, pattern) for entry in entries)
        else (),
    )


def _fits(identifier: str, pattern: str) -> bool:
    names = (identifier.lower(), identifier.removesuffix(".conf").lower())
    return any(fnmatchcase(name, pattern.lower()) for name in names) or pattern.startswith("@")


def _variable(seen: Seen, path: str) -> str:
    return one_line(seen.contents.get(path, b"")[4:].decode("utf-16-le", "replace").rstrip("\0"))


def _entries(seen: Seen) -> tuple[BootEntry, ...]:
    for pattern in _ENTRY_FILES:
        folder = pattern.rpartition("/")[0]
        paths = sorted(path for path in seen.contents if path.rpartition("/")[0] == folder)
        if found := tuple(_read(seen, paths[:_MOST_ENTRIES])):
            return in_menu_order(found)
    return ()


def _read(seen: Seen, paths: list[str]) -> Iterator[BootEntry]:
    for path in paths:
        entry = read_loader_entry(decoded(seen.contents[path]), path)
        if entry is not None:
            yield entry

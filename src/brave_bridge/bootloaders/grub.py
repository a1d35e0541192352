"""GRUB: its menu, its environment block and the administrator's own commands.

It writes into the blocks of a file, which works on plain partitions with file systems that leave
blocks in their place (GRUB manual, "The GRUB environment block"). On others a mark would never
be taken away, and a trial be permanent.
"""

import re
from collections.abc import Sequence

from brave_bridge.bootloaders import entry_files, grub_writing
from brave_bridge.bootloaders.grub_writing import ESPS, FOLDERS, ON_ESP
from brave_bridge.bootloaders.loader import BootLoader, Once
from brave_bridge.bootloaders.standing import mount_of, mounted_at, uuid_of
from brave_bridge.core.boot.entries import TRIAL_ID, BootEntry, Loader, LoaderFault
from brave_bridge.core.boot.grub_defaults import settings_in
from brave_bridge.core.boot.grub_environment import DamagedBlock, read_environment
from brave_bridge.core.boot.grub_menu import GrubMenu, defaults_in, found_by, read_grub_menu
from brave_bridge.core.boot.grub_trial import MARK, reads_custom
from brave_bridge.core.boot.loader_faults import BLOCK, CHOICE
from brave_bridge.core.boot.past_entry import PastSystem
from brave_bridge.core.boot.trial_way import TrialWay, comes_back
from brave_bridge.core.formats.proc import Mount
from brave_bridge.core.survey.facts import Facts
from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Contents, Seen

IN_BLOCK, IN_FILE_ON_ESP = "grub block", "grub on the EFI partition"
_MENUS = tuple(f"{folder}/grub.cfg" for folder in FOLDERS)
_CUSTOMS = tuple(f"{folder}/custom.cfg" for folder in FOLDERS)
_BLOCKS = tuple(f"{folder}/grubenv" for folder in FOLDERS)
_MARKS = tuple(f"{esp}{ON_ESP}" for esp in ESPS)
_DEFAULTS, _DEFAULTS_PARTS = "/etc/default/grub", "/etc/default/grub.d/*.cfg"
_OPTIONS = ("GRUB_CMDLINE_LINUX", "GRUB_CMDLINE_LINUX_DEFAULT")
_LIMIT = 4_000_000
_READS_ENTRY_FILES = re.compile(r"^\s*blscfg\b", re.MULTILINE)
_WRITABLE = frozenset(("ext2", "ext3", "ext4", "vfat", "xfs", "jfs", "ntfs"))
_PLAIN = re.compile(r"^(/dev/(sd|vd|hd|xvd|nvme|mmcblk|loop)\w+|(UUID|LABEL|PARTUUID)=\S+)$")


class Grub(BootLoader):
    """GRUB, with what its own programs and the trade's entry files bring into its menu."""

    kind, called = "grub", "GRUB"
    settings = ("/etc/default/grub", "/etc/grub.d/")
    kernels_beside_menu = offers_past = True
    queries = (
        Contents((*_MENUS, *_CUSTOMS), _LIMIT),
        Contents((*_BLOCKS, *_MARKS), 64 * 1024),
        Contents((_DEFAULTS, _DEFAULTS_PARTS)),
        *entry_files.QUERIES,
    )

    def is_there(self, seen: Seen) -> bool:
        return bool(_folder(seen))

    def read(self, seen: Seen) -> Loader:
        folder = _folder(seen)
        return _read(seen, folder, seen.text(f"{folder}/grub.cfg") or "")

    def options(self, seen: Seen) -> str:
        values: dict[str, str] = {}
        for path in (_DEFAULTS, *(path for path, _ in seen.texts(_DEFAULTS_PARTS))):
            known = settings_in(seen.text(path) or "")
            values |= {name: known[name] or "" for name in _OPTIONS if name in known}
        return " ".join(filter(None, values.values()))

    def way(self, facts: Facts) -> TrialWay:
        if not facts.loader.told_by:
            return TrialWay(
                refusal="the generated menu does not read custom.cfg, in which a trial is written",
                instead=("have GRUB's own program write its menu anew (update-grub)",),
            )
        place = _mark_place(facts)
        if place is not None:
            return comes_back(self.called, IN_FILE_ON_ESP if place.file else IN_BLOCK)
        why = _why_not_written(_block_mount(facts))
        return TrialWay(
            refusal=f"GRUB cannot take its mark away: {why}; a trial would be permanent, and one "
            "that panics would be started for ever",
            instead=(
                "put /boot on a partition of its own with ext4",
                "on a machine with EFI: name the EFI system partition in /etc/fstab by its UUID, "
                "and mount it: GRUB can write there",
            ),
        )

    def menu_words(self, firmware: str) -> str:
        if firmware == "efi":
            return "Switch on and press Esc once when the maker's sign goes: GRUB's menu comes."
        key = "Shift" if firmware == "bios" else "Shift (with EFI: press Esc once)"
        return f"Switch on and hold {key} until GRUB's menu comes."

    def arm(self, machine: Machine, facts: Facts, once: Once) -> str:
        place = _mark_place(facts) or grub_writing.BLOCK
        return grub_writing.arm(machine, once.chosen.id, once.good.id, once.name, place)

    def disarm(self, machine: Machine) -> bool:
        return grub_writing.disarm(machine, _MARKS)

    def pin(self, machine: Machine, entry: BootEntry) -> str:
        return grub_writing.pin(machine, entry.id)

    def offer_past(self, machine: Machine, offered: Sequence[tuple[PastSystem, BootEntry]]) -> str:
        return grub_writing.offer_past(machine, offered)


def _folder(seen: Seen) -> str:
    """The folder that has a menu; empty where none has."""
    return next((folder for folder in FOLDERS if seen.text(f"{folder}/grub.cfg")), "")


def _block_mount(facts: Facts) -> Mount | None:
    """The file system with GRUB's block; None where it has none, or it is not known."""
    folder = next((f for f in FOLDERS if facts.loader.remembers.startswith(f)), "")
    return mount_of(facts, folder) if folder else None


def _mark_place(facts: Facts) -> grub_writing.MarkPlace | None:
    """Where GRUB can write a mark: in its block, else on the EFI system partition; or nowhere."""
    if not _why_not_written(_block_mount(facts)):
        return grub_writing.BLOCK
    there = (mount for path in ESPS if (mount := mounted_at(facts, path)))
    esp = next((mount for mount in there if mount.type == "vfat"), None)
    uuid = uuid_of(facts, esp.path) if esp else ""
    if esp is None or not uuid or _why_not_written(esp):
        return None
    return grub_writing.MarkPlace(f"{esp.path}{ON_ESP}", uuid)


def _why_not_written(mount: Mount | None) -> str:
    """Why GRUB cannot write into a file there; empty where it can."""
    if mount is None:
        return "it is not known which file system holds its environment block"
    if mount.type not in _WRITABLE:
        return f"its block is on {mount.type}, where it writes nothing ({mount.path})"
    if not _PLAIN.match(mount.device):
        return f"its block is on {mount.device}, through which it writes nothing"
    return ""


def _read(seen: Seen, folder: str, text: str) -> Loader:
    menu, block = read_grub_menu(text), f"{folder}/grubenv"
    if _READS_ENTRY_FILES.search(text):
        menu = GrubMenu(entry_files.read(seen) + menu.entries, menu.default, menu.knows_once)
    variables, faults = _environment(seen, block)
    variables |= _environment(seen, next((m for m in _MARKS if m in seen.contents), ""))[0]
    chosen = variables.get("saved_entry", "") if menu.default == "saved" else menu.default
    once = variables.get("next_entry", "") if menu.knows_once else ""
    custom = (seen.text(f"{folder}/custom.cfg") or "") if reads_custom(text) else ""
    if custom:
        # Read behind all else: what it sets holds.
        menu = GrubMenu(menu.entries + read_grub_menu(custom).entries, menu.default)
        chosen = (defaults_in(custom) or [chosen])[-1]
        once = TRIAL_ID if MARK in custom and variables.get(MARK) == "1" else once
    default = chosen or "0"
    remembers = block if block in seen.contents else ""
    return Loader(
        Grub.kind,
        menu.entries,
        _id_of(menu, default),
        _id_of(menu, once),
        remembers,
        (*faults, *_choices_of_nothing(menu, (default, once), remembers)),
        told_by=f"{folder}/custom.cfg" if reads_custom(text) else "",
        remade_by=(_program(folder, "mkconfig"), "-o", f"{folder}/grub.cfg"),
    )


def _choices_of_nothing(
    menu: GrubMenu, choices: tuple[str, str], block: str
) -> tuple[LoaderFault, ...]:
    unset = (_program(block, "editenv"), block, "unset", "saved_entry", "next_entry")
    return tuple(
        LoaderFault(
            CHOICE,
            f"{choice} is to be booted, and the menu has no such entry",
            mended_by=unset if block else (),
        )
        for choice in filter(None, choices)
        if menu.entries and found_by(menu, choice) is None
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
        anew = (_program(block, "editenv"), block, "create")
        return {}, (LoaderFault(BLOCK, f"{block} is damaged: {fault}", mended_by=anew),)


def _program(path: str, name: str) -> str:
    """GRUB's own program of that name, as it is called where its files are in that folder."""
    return f"grub2-{name}" if path.startswith("/boot/grub2") else f"grub-{name}"

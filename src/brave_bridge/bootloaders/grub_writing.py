"""GRUB on a machine: a trial put into its own commands and its block, and taken out again."""

from collections.abc import Sequence

import msgspec

from brave_bridge.core.boot.entries import BootEntry
from brave_bridge.core.boot.grub_environment import (
    SIZE,
    DamagedBlock,
    read_environment,
    write_environment,
)
from brave_bridge.core.boot.grub_menu import read_grub_menu
from brave_bridge.core.boot.grub_trial import (
    MARK,
    Remembering,
    default_part,
    reads_custom,
    trial_part,
)
from brave_bridge.core.boot.past_entry import PART, PastSystem, grub_entry
from brave_bridge.core.formats.marked_part import part_in, with_part, without_part
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.machines.queries import Names

FOLDERS = ("/boot/grub", "/boot/grub2")
ESPS = ("/boot/efi", "/efi", "/boot")
"""Where the EFI system partition is mounted."""

_LIMIT = 4_000_000
_CUSTOM_LIMIT = 1_000_000


class MarkPlace(msgspec.Struct, frozen=True):
    """Where a trial's mark is: ``file``, on the file system ``uuid``; empty: GRUB's own block."""

    file: str = ""
    uuid: str = ""


BLOCK = MarkPlace()
ON_ESP = "/EFI/brave-bridge/trial.env"
"""The file on the EFI system partition, as it is called there."""


class GrubFiles(msgspec.Struct, frozen=True):
    """The files of GRUB's on a machine; ``folder`` holds menu, block and own commands."""

    folder: str

    @property
    def menu(self) -> str:
        """The generated menu."""
        return f"{self.folder}/grub.cfg"

    @property
    def block(self) -> str:
        """The environment block."""
        return f"{self.folder}/grubenv"

    @property
    def custom(self) -> str:
        """The commands of whoever runs the machine, which the menu reads at its end."""
        return f"{self.folder}/custom.cfg"


def grub_files(machine: Machine) -> GrubFiles | None:
    """Where GRUB's files are; None where there is no menu."""
    for folder in FOLDERS:
        if machine.files.is_file(f"{folder}/grub.cfg"):
            return GrubFiles(folder)
    return None


def menu_text(machine: Machine, files: GrubFiles) -> str:
    """The generated menu."""
    return machine.files.read(files.menu, _LIMIT).decode("utf-8", "surrogateescape")


def arm(
    machine: Machine,
    chosen: str,
    good: str,
    trial: str,
    place: MarkPlace = BLOCK,
    panic_seconds: int = 10,
) -> str:
    """Have the entry ``chosen`` booted once and ``good`` at every other boot; what was written.

    The mark is written last: until then every boot takes ``good``. Done twice it is done once.
    """
    files = _must_be_there(machine)
    custom = _custom(machine, files)
    text = menu_text(machine, files) + without_part(custom)
    remembering = Remembering(place.uuid, ON_ESP) if place.file else Remembering()
    part = trial_part(text, read_grub_menu(text), chosen, good, trial, panic_seconds, remembering)
    if not reads_custom(text):
        raise MachineError("arranging a trial", machine.name, f"{files.menu} reads no custom.cfg")
    mark = place.file or files.block
    variables, block = ({}, b"") if place.file else _block(machine, files)
    machine.files.write(files.custom, with_part(custom, part).encode("utf-8", "surrogateescape"))
    machine.files.write(mark, write_environment({**variables, MARK: "1"}, block))
    return f"{files.custom}, {mark}"


def pin(machine: Machine, identifier: str) -> str:
    """Have an entry booted whatever the generated menu's default is; the file that says so."""
    files = _must_be_there(machine)
    custom = _custom(machine, files)
    text = with_part(custom, default_part(identifier))
    machine.files.write(files.custom, text.encode("utf-8", "surrogateescape"))
    return files.custom


def offer_past(machine: Machine, offered: Sequence[tuple[PastSystem, BootEntry]]) -> str:
    """Have the menu offer these past systems, each made after an entry, and no others.

    The file that has them. MachineError where the menu reads no commands of ours.
    """
    files = _must_be_there(machine)
    text, custom = menu_text(machine, files), _custom(machine, files)
    if offered and not reads_custom(text):
        seen = f"{files.menu} reads no custom.cfg"
        raise MachineError("offering a past system", machine.name, seen)
    part = "\n".join(grub_entry(text, past, template) for past, template in offered)
    _write_custom(machine, files, custom, with_part(custom, part, PART))
    return files.custom


def disarm(machine: Machine, marks: tuple[str, ...] = ()) -> bool:
    """Take a trial out again; whether there was one. The menu's own default holds then.

    ``marks`` are the files beside GRUB's block in which a mark may be.
    """
    files = grub_files(machine)
    if files is None:
        return False
    custom = _custom(machine, files)
    variables, block = _block(machine, files)
    had = bool(part_in(custom)) or MARK in variables
    if MARK in variables:
        del variables[MARK]
        machine.files.write(files.block, write_environment(variables, block))
    _write_custom(machine, files, custom, without_part(custom))
    for mark in machine.files.gather((Names(marks),)).found:
        machine.files.remove_folder(mark.rpartition("/")[0])
    return had


def _must_be_there(machine: Machine) -> GrubFiles:
    files = grub_files(machine)
    if files is None:
        raise MachineError("arranging a trial", machine.name, "GRUB has no menu here")
    return files


def _custom(machine: Machine, files: GrubFiles) -> str:
    content = machine.files.read_if_there(files.custom, _CUSTOM_LIMIT)
    return (content or b"").decode("utf-8", "surrogateescape")


def _write_custom(machine: Machine, files: GrubFiles, before: str, text: str) -> None:
    """Write the administrator's own commands where they change; none: no file."""
    if text == before:
        return
    if text.strip():
        machine.files.write(files.custom, text.encode("utf-8", "surrogateescape"))
    else:
        machine.files.remove(files.custom)


def _block(machine: Machine, files: GrubFiles) -> tuple[dict[str, str], bytes]:
    block = machine.files.read_if_there(files.block, 64 * SIZE)
    if block is None:
        return {}, b""
    try:
        return read_environment(block), block
    except DamagedBlock as fault:
        raise MachineError(
            "reading GRUB's environment block",
            machine.name,
            f"{files.block}: {fault}",
            f"have it made anew: grub-editenv {files.block} create",
        ) from fault

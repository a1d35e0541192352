"""The boot variables of a stand-in's EFI firmware, as files of efivarfs, and the tool for them."""

import struct
from pathlib import Path

from brave_bridge.core.boot.efi_variables import (
    LoadOption,
    file_name,
    numbers_written,
    option_written,
)

_FOLDER = "sys/firmware/efi/efivars"
_END = b"\x7f\xff\x04\x00"


def write_variables(root: Path, starts: list[str]) -> None:
    """What the firmware can start; what was chosen for one boot alone is used up."""
    if not starts:
        return
    folder = root / _FOLDER
    folder.mkdir(parents=True, exist_ok=True)
    for number, words in enumerate(starts):
        title, _, file = words.partition("|")
        name = file.encode("utf-16-le") + b"\0\0"
        path = struct.pack("<BBH", 4, 4, 4 + len(name)) + name + _END
        option = option_written(LoadOption(number, title, path))
        (folder / file_name(f"Boot{number:04X}")).write_bytes(option)
    numbers = tuple(range(len(starts)))
    (folder / file_name("BootOrder")).write_bytes(numbers_written(numbers))
    (folder / file_name("BootCurrent")).write_bytes(numbers_written((0,)))
    (folder / file_name("BootNext")).unlink(missing_ok=True)


def efibootmgr(root: Path, words: list[str]) -> int:
    """``efibootmgr --bootnext NUMBER`` and ``--delete-bootnext``; its exit code."""
    place = root / _FOLDER / file_name("BootNext")
    if "--delete-bootnext" in words:
        place.unlink(missing_ok=True)
        return 0
    number = int(words[words.index("--bootnext") + 1], 16)
    if not (root / _FOLDER / file_name(f"Boot{number:04X}")).exists():
        print("Boot entry does not exist")
        return 9
    place.write_bytes(numbers_written((number,)))
    return 0

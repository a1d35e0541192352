"""EXTLINUX: an entry is tried once, and every later boot takes the known good one by itself.

What is booted once stands in the loader's own data at the end of ``ldlinux.sys``, two copies of
512 bytes (SYSLINUX, ``libinstaller/setadv.c``). The loader takes it out before it starts it, and
does not start it where it cannot write that.
"""

import re
import struct

from brave_bridge.core.boot.entries import TRIAL_ID, BootEntry
from brave_bridge.core.boot.grub_trial import ON_TRIAL

COPY = 512
DATA_BYTES = 2 * COPY
_HEAD, _SUM, _TAIL = 0x5A2D2FA5, 0xA3041767, 0xDD28BF64
_ONCE = 1


def read_once(tail: bytes) -> str | None:
    """What is booted once, by the end of ``ldlinux.sys``: a label, and options behind it.

    Empty where nothing is; None where there is no such data, so that nothing can be.
    """
    for start in (0, COPY):
        copy = tail[-DATA_BYTES:][start : start + COPY]
        if len(copy) == COPY and _is_whole(copy):
            return _value(copy[8:-4])
    return None


def _is_whole(copy: bytes) -> bool:
    words = struct.unpack("<128I", copy)
    return (words[0], words[-1]) == (_HEAD, _TAIL) and sum(words[1:-1]) % (1 << 32) == _SUM


def _value(data: bytes) -> str:
    at = 0
    while at + 2 <= len(data) and data[at]:
        tag, length = data[at], data[at + 1]
        if tag == _ONCE:
            return data[at + 2 : at + 2 + length].decode("utf-8", "replace").strip("\0")
        at += 2 + length
    return ""


def trial_part(chosen: BootEntry, good: str, trial: str, panic_seconds: int = 10) -> str:
    """What the menu gets at its end: the entry on trial, and the default of every other boot.

    ``good`` is a label. ValueError where something would not stand on a line of its own.
    """
    if not re.fullmatch(r"[\w.:-]{1,80}", trial):
        raise ValueError(f"no name for a trial: {trial!r}")
    options = f"{chosen.options} panic={panic_seconds} {ON_TRIAL}={trial}".strip()
    lines = [
        f"DEFAULT {good}",
        f"LABEL {TRIAL_ID}",
        "  MENU LABEL On trial, started once",
        f"  LINUX {chosen.image}",
        *((f"  INITRD {','.join(chosen.initrds)}",) if chosen.initrds else ()),
        f"  APPEND {options}",
    ]
    if any(re.search(r"[\r\n]", line) for line in lines):
        raise ValueError("an entry of more than one line")
    return "\n".join(lines)

"""The boots that wtmp(5) tells of: records of the C library's struct utmp."""

import struct
from collections.abc import Iterator

import msgspec

_RECORD = struct.Struct("<hhi32s4s32s256shhiii16s20s")
"""As it is on every Linux whose time fields are 32 bits wide there (utmp(5), bits/utmp.h)."""

_BOOT_TIME = 2
_HOST, _SECONDS = 6, 10


class BootRecord(msgspec.Struct, frozen=True):
    """A boot: when (seconds since the epoch), and the kernel that came up."""

    seconds: int
    kernel: str


def read_boots(content: bytes) -> Iterator[BootRecord]:
    """The boots, oldest first; what is cut off at an end is left out."""
    whole = len(content) - len(content) % _RECORD.size
    for record in _RECORD.iter_unpack(content[:whole]):
        if record[0] == _BOOT_TIME:
            kernel = record[_HOST].partition(b"\0")[0].decode("ascii", "replace")
            yield BootRecord(record[_SECONDS], kernel)

"""Block devices as lsblk(8) lists them with ``--json --list``."""

import msgspec

from brave_bridge.core.formats.decoding import decode_json

COLUMNS = "PATH,FSTYPE,LABEL,UUID,SIZE,MOUNTPOINTS"


class BlockDevice(msgspec.Struct, frozen=True):
    """A device and what is on it; what is not known is None. ``size`` is as lsblk writes it."""

    path: str
    fstype: str | None = None
    label: str | None = None
    uuid: str | None = None
    size: str | None = None
    mountpoints: tuple[str | None, ...] = ()

    @property
    def is_mounted(self) -> bool:
        """Whether it is in use as a file system or for paging."""
        return any(self.mountpoints)


class _Listing(msgspec.Struct):
    blockdevices: tuple[BlockDevice, ...] = ()


def read_block_devices(text: str) -> tuple[BlockDevice, ...]:
    """The devices of a listing; none where it is no listing."""
    try:
        return decode_json(text, _Listing).blockdevices
    except msgspec.DecodeError:
        return ()

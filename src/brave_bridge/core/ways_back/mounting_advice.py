"""What to do where a folder that is named holds no system: the words of a rescue shell."""

from collections.abc import Iterable, Iterator, Sequence

from brave_bridge.core.formats.lsblk import BlockDevice

_MOST = 6
_OPENERS = {
    "LVM2_member": "is of a volume group: vgchange -ay",
    "crypto_LUKS": "is encrypted: cryptsetup open {path} NAME",
    "zfs_member": "is of a pool: zpool import -f -R {folder} -a",
    "linux_raid_member": "is of an array: mdadm --assemble --scan",
}
_SYSTEMS = ("ext4", "ext3", "ext2", "xfs", "btrfs", "f2fs", "jfs", "bcachefs")


def mounting_advice(
    folder: str, systems_inside: Sequence[str], devices: Iterable[BlockDevice]
) -> str:
    """How to come to a system's root from a folder that has none, in one line.

    ``systems_inside`` are folders below it that hold one, as subvolumes of btrfs do when the
    top of their file system is mounted.
    """
    if systems_inside:
        name = systems_inside[0]
        others = f" (or {', '.join(systems_inside[1:_MOST])})" if systems_inside[1:] else ""
        return f"there is a system in {name} below it: name {folder}/{name}{others}"
    seen = [words for device in devices for words in _told(device, folder)][:_MOST]
    told = f"; seen here: {'; '.join(seen)}" if seen else ""
    return f"mount the system's root file system and name its folder{told}"


def _told(device: BlockDevice, folder: str) -> Iterator[str]:
    """What can be done with a device that is not in use."""
    if device.is_mounted or not device.fstype:
        return
    opener = _OPENERS.get(device.fstype)
    if opener:
        yield f"{device.path} {opener.format(path=device.path, folder=folder)}"
    elif device.fstype in _SYSTEMS:
        about = ", ".join(word for word in (device.fstype, device.label, device.size) if word)
        yield f"mount {device.path} {folder} ({about})"

"""What a kernel must find in its initial file system to come to the root of its system."""

from collections.abc import Iterable, Iterator, Mapping, Set

from brave_bridge.core.formats.kernel_modules import module_name

_ON_DISKS = {"ext4", "xfs", "btrfs", "f2fs", "jfs", "reiserfs", "zfs", "bcachefs", "nilfs2"}
"""File systems whose module has their name, and that a root is on."""

_TO_THE_ROOT = tuple(
    f"kernel/drivers/{folder}/"
    for folder in (
        *("ata", "block", "cxl", "hv", "md", "memstick", "message", "mmc", "nvdimm", "nvme"),
        *("s390", "scsi", "usb/storage", "virtio", "xen"),
    )
)
"""Where modules stand without which a disk is not seen, or not put together."""


def module_paths(listed: str) -> dict[str, str]:
    """The modules of a kernel, by name, from its modules.dep as depmod(8) writes it."""
    found = {}
    for line in listed.splitlines():
        path, colon, _ = line.partition(":")
        if colon:
            found[module_name(path.rpartition("/")[2].partition(".ko")[0])] = path
    return found


def missing_at_start(
    root_type: str, paths: Mapping[str, str], there: Set[str], loaded: Set[str], before: Set[str]
) -> Iterator[str]:
    """The modules that a kernel's initial file system has to have for this root and has not.

    ``paths`` are the modules of that kernel, so that what is built into it is not among them, and
    ``there`` those in its initial file system. ``loaded`` are in use now, and ``before`` those in
    the one by which the system came up: of these nobody has to guess whether they are needed.
    """
    for name in sorted({root_type} & _ON_DISKS | set(_for_disks(loaded & before, paths))):
        if name in paths and name not in there:
            yield name


def _for_disks(names: Iterable[str], paths: Mapping[str, str]) -> Iterator[str]:
    for name in names:
        if paths.get(name, "").startswith(_TO_THE_ROOT):
            yield name

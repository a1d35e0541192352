"""By which mechanism a machine boots something once, and what brings it back where that fails.

Decided from what its loader can write: GRUB writes into the blocks of a file, which works on
plain partitions with file systems that leave blocks in their place (GRUB manual, "The GRUB
environment block"). On others a mark would never be taken away, and the trial be permanent.
"""

import re

import msgspec

from brave_bridge.core.boot.entries import OWN, Loader
from brave_bridge.core.formats.proc import Mount

GRUB_BLOCK, GRUB_ON_ESP, COUNTED = "grub block", "grub on the EFI partition", "boot counting"
EXTLINUX_DATA = "extlinux's own data"
_WRITABLE = frozenset(("ext2", "ext3", "ext4", "vfat", "xfs", "jfs", "ntfs"))
_PLAIN = re.compile(r"^(/dev/(sd|vd|hd|xvd|nvme|mmcblk|loop)\w+|(UUID|LABEL|PARTUUID)=\S+)$")
_NOT_ONCE = {
    "extlinux": "firmware that reads an extlinux menu",
    "board": "this board's firmware",
}
_HANGS = (
    "Where it hangs before its own time limit can end it, somebody has to switch it off and on: "
    "the boot after that is the good one."
)


class Ground(msgspec.Struct, frozen=True):
    """What a trial would stand on.

    ``block`` and ``esp`` are the mounts that hold GRUB's block and the EFI system partition,
    None where there is none; ``esp_uuid`` is the latter's, by which the loader finds it.
    """

    loader: Loader
    block: Mount | None = None
    esp: Mount | None = None
    esp_uuid: str = ""


class TrialWay(msgspec.Struct, frozen=True):
    """How something is booted once. ``mechanism`` is empty where it must not be tried.

    ``fails``, ``hangs``: what happens then, a sentence each. ``refusal`` says why nothing would
    bring the machine back, ``instead`` what could be set up, or done, in its place.
    """

    mechanism: str = ""
    fails: str = ""
    hangs: str = ""
    refusal: str = ""
    instead: tuple[str, ...] = ()


_WHOLE = {
    "slots": TrialWay(
        refusal="it tries whole images, and no kernel by itself",
        instead=("take a leg: the slot that it is written into is tried once",),
    ),
    OWN: TrialWay(
        refusal="the system starts its kernel by itself, and tells nobody how",
        instead=("take a leg: the system goes back by itself where it does not come up",),
    ),
}


def trial_way(ground: Ground) -> TrialWay:
    """The mechanism that works on this ground; a refusal where none does."""
    if ground.loader.kind == "grub":
        return _grub(ground)
    if ground.loader.kind == "systemd-boot":
        return _counted(ground)
    if ground.loader.remembers.endswith("/ldlinux.sys"):
        return _extlinux(ground)
    if ground.loader.kind in _WHOLE:
        return _WHOLE[ground.loader.kind]
    name = _NOT_ONCE.get(ground.loader.kind)
    if name is None:
        return TrialWay(
            refusal="no boot loader is known here",
            instead=("look whether the boot partition is mounted",),
        )
    return TrialWay(
        refusal=f"nothing here tells {name} to boot something once: a trial would be permanent",
        instead=(
            "make the other entry the default with somebody at the console, who can choose the "
            "old one",
        ),
    )


def _extlinux(ground: Ground) -> TrialWay:
    if ground.loader.tool:
        return TrialWay(EXTLINUX_DATA, _fails("extlinux"), _HANGS)
    return TrialWay(
        refusal="what it boots once is written by its own program, which is not here",
        instead=("install the package extlinux",),
    )


def _grub(ground: Ground) -> TrialWay:
    if not ground.loader.reads_custom:
        return TrialWay(
            refusal="the generated menu does not read custom.cfg, in which a trial is written",
            instead=("have GRUB's own program write its menu anew (update-grub)",),
        )
    why = why_not_written(ground.block)
    if not why:
        return TrialWay(GRUB_BLOCK, _fails("GRUB"), _HANGS)
    if ground.esp_uuid and not why_not_written(ground.esp):
        return TrialWay(GRUB_ON_ESP, _fails("GRUB"), _HANGS)
    return TrialWay(
        refusal=f"GRUB cannot take its mark away: {why}; a trial would be permanent, and one that "
        "panics would be started for ever",
        instead=(
            "put /boot on a partition of its own with ext4",
            "on a machine with EFI: name the EFI system partition in /etc/fstab by its UUID, and "
            "mount it: GRUB can write there",
        ),
    )


def why_not_written(mount: Mount | None) -> str:
    """Why GRUB cannot write into a file there; empty where it can."""
    if mount is None:
        return "it is not known which file system holds its environment block"
    if mount.type not in _WRITABLE:
        return f"its block is on {mount.type}, where it writes nothing ({mount.path})"
    if not _PLAIN.match(mount.device):
        return f"its block is on {mount.device}, through which it writes nothing"
    return ""


def _counted(ground: Ground) -> TrialWay:
    if all(entry.where for entry in ground.loader.entries):
        return TrialWay(COUNTED, _fails("systemd-boot"), _HANGS)
    return TrialWay(
        refusal="its entries are no files: a unified image has its options in itself",
        instead=("have an entry in a file of its own, beside the image",),
    )


def _fails(loader: str) -> str:
    return (
        f"{loader} forgets the trial before it starts it: after a panic, or where what comes up "
        "does not pass its own checks in time, it restarts by itself into the good one."
    )

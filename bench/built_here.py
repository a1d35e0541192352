"""A kernel built from Debian's source by the program, and really booted: about ten minutes.

``python -m bench.built_here`` makes a copy-on-write tree with a compiler and the source package,
has the program carry a tiny configuration to it, build and install it, boots a disk of that tree
and holds what ``/proc/config.gz`` of the booted kernel says against what it had to have.
"""

import re
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import msgspec
from tests.support import bootlab, lab

from brave_bridge.core.kconfig.dotconfig import read_config
from brave_bridge.core.kconfig.protected import Protected, unmet

SOURCE = "/usr/src/linux-source-6.1"
TOOLS = ("gcc", "make", "flex", "bison", "bc", "libelf-dev", "libssl-dev", "linux-source-6.1")
TINY = "/root/tiny.config"
ON = (
    "64BIT MODULES MODULE_UNLOAD PRINTK BUG MULTIUSER SYSFS_SYSCALL POSIX_TIMERS FUTEX "
    "EPOLL SIGNALFD TIMERFD EVENTFD SHMEM AIO ADVISE_SYSCALLS MEMBARRIER FILE_LOCKING "
    "FHANDLE INOTIFY_USER HIGH_RES_TIMERS BLK_DEV_INITRD RD_GZIP BLOCK BLK_DEV PCI "
    "VIRTIO_MENU VIRTIO VIRTIO_PCI VIRTIO_BLK EXT4_FS EXT4_USE_FOR_EXT2 PROC_FS "
    "PROC_SYSCTL SYSFS TMPFS TMPFS_XATTR DEVTMPFS DEVTMPFS_MOUNT BINFMT_ELF BINFMT_SCRIPT "
    "TTY VT SERIAL_8250 SERIAL_8250_CONSOLE NET UNIX INET CGROUPS NAMESPACES ACPI "
    "IKCONFIG IKCONFIG_PROC KALLSYMS MSDOS_PARTITION PARTITION_ADVANCED DEBUG_FS "
)
SAYS = """#!/bin/sh
echo CONFIG BEGINS
zcat /proc/config.gz
echo CONFIG ENDS
"""


def main() -> int:
    """Build, boot, read back; 0 where all of it is as it should be."""
    with tempfile.TemporaryDirectory(prefix="built-here-", dir="/var/tmp") as place:
        folder = Path(place)
        with lab.overlay(bootlab.tree(), folder / "overlay") as tree:
            _prepare(tree)
            took = _built(tree)
            print(f"| configured, built and installed | {took:.0f} s |")
            return _booted(folder, tree)


def _prepare(tree: Path) -> None:
    """The compiler, the source and a tiny configuration to carry over."""
    _in(tree, "apt-get", "update")
    _in(tree, "apt-get", "--yes", "--no-install-recommends", "install", *TOOLS)
    _in(tree, "tar", "-C", "/usr/src", "-xJf", f"{SOURCE}.tar.xz")
    _in(tree, "make", "-C", SOURCE, "tinyconfig")
    (tree / TINY.lstrip("/")).write_text((tree / f"{SOURCE.lstrip('/')}/.config").read_text())


def _in(tree: Path, *argv: str) -> None:
    code, said = lab.in_tree(tree, *argv)
    if code:
        raise SystemExit(f"{argv[0]} failed: {said[-600:]}")


def _built(tree: Path) -> float:
    began = time.monotonic()
    words = [sys.executable, "-m", "brave_bridge.cli.entry", "--tree", str(tree)]
    settings = [word for name in ON.split() for word in ("--set", f"{name}=y")]
    options = ["--config", TINY, *settings, "--yes"]
    subprocess.run([*words, "build-kernel", SOURCE, *options], check=True)
    return time.monotonic() - began


def _booted(folder: Path, tree: Path) -> int:
    (record,) = (tree / "var/lib/brave-bridge/kernels").glob("*.json")
    built = record.stem
    protected = msgspec.json.decode(record.read_bytes(), type=tuple[Protected, ...])
    says = tree / "usr/local/sbin/before-it-says"
    says.write_text(SAYS)
    says.chmod(0o755)
    (tree / "boot/grub/grub.cfg").write_text(bootlab.menu(built, built=""))
    # What it was built from and its way back would only make the disk larger.
    for folder_of_it in ("usr/src", "var/lib/brave-bridge/snapshots", "var/cache/apt"):
        shutil.rmtree(tree / folder_of_it)
    disk = bootlab.bios_on_ext4_of(tree, folder / "disk.img", 3600)
    booted = disk.boot(240)
    if booted.came_up is None:
        print(booted.console[-3000:])
        return 1
    print(f"| came up | {booted.came_up.kernel}, after {booted.seconds:.0f} s |")
    found = re.search(r"CONFIG BEGINS\s(.*)CONFIG ENDS", booted.console, re.DOTALL)
    config = read_config(found[1]) if found else {}
    lacking = [one.words for one in unmet(protected, config, {})]
    print(f"| read back | {len(config)} options, {len(protected)} protected, {len(lacking)} lack |")
    return 0 if config and not lacking and booted.came_up.kernel == built else 1


if __name__ == "__main__":
    sys.exit(main())

"""A root tree that is only mounted: commands run in it by chroot, in namespaces of their own."""

import os
import shutil
from collections.abc import Sequence
from pathlib import Path

from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.port import STATE_FOLDER, MachineError
from brave_bridge.machines.rescue import advice_for, is_system
from brave_bridge.machines.rooted import inside

_ENTER = """
set -e
root=$1
shift
mount -t proc proc "$root/proc"
[ -c "$root/dev/null" ] || mount --rbind /dev "$root/dev"
names=$(chroot "$root" readlink -m /etc/resolv.conf) || names=
case $names in
  /run/*) mkdir -p "$root${names%/*}"; [ -e "$root$names" ] || : >"$root$names" ;;
esac
if [ -f /etc/resolv.conf ] && [ -n "$names" ] && [ -f "$root$names" ]; then
  mount --bind /etc/resolv.conf "$root$names"
fi
exec chroot "$root" "$@"
"""
"""Mounts made here belong to the private mount namespace and vanish with it.

Names are looked up as this machine does, also where the tree's own file is a link into
its /run, which is empty while the tree does not run.
"""


class TreeMachine(FolderMachine):
    """A system under a folder, as a rescue shell mounts one."""

    kind = "tree"

    def _wrapped(self, argv: Sequence[str]) -> list[str]:
        if os.geteuid() != 0:
            raise MachineError(f"running {argv[0]}", self.name, "this needs root", "run it as root")
        if shutil.which("unshare") is None:
            raise MachineError(
                f"running {argv[0]}",
                self.name,
                "the tool unshare is missing",
                "install util-linux",
            )
        namespaces = ["unshare", "--mount", "--pid", "--fork", "--kill-child"]
        return [*namespaces, "/bin/sh", "-c", _ENTER, "enter", str(self.root), *argv]


def _has_ways_back(folder: Path) -> bool:
    """Whether a system was kept here, whatever is left of it."""
    return any((inside(folder, STATE_FOLDER) / "snapshots").glob("*/description.toml"))


def open_tree(folder: Path) -> TreeMachine:
    """The machine of a root tree; MachineError where the folder is no system.

    A system that has lost all that tells of it is still opened for its ways back.
    """
    folder = folder.absolute()
    if not folder.is_dir():
        raise MachineError("opening the tree", str(folder), "there is no such folder")
    if not is_system(folder) and not _has_ways_back(folder):
        raise MachineError(
            "opening the tree",
            str(folder),
            "it is no system: neither etc/os-release nor usr/lib/os-release is there",
            advice_for(folder),
        )
    return TreeMachine(folder.name or "tree", folder)

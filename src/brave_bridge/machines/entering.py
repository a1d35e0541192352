"""Entering a root tree to run a command in it: by chroot, in namespaces of its own."""

import os
import shutil
from collections.abc import Sequence
from pathlib import Path

from brave_bridge.machines.port import MachineError

_ENTER = """
set -e
root=$1
shift
mount -t proc proc "$root/proc"
device=
if mountpoint -q "$root"; then
  device=$(findmnt --noheadings --output SOURCE --target "$root") || device=
  device=${device%%\[*}
fi
if [ ! -c "$root/dev/null" ] || { [ -b "$device" ] && [ ! -b "$root$device" ]; }; then
  mount --rbind /dev "$root/dev"
fi
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

A system on a disk of its own sees that disk: what writes its boot menu asks which one it is.
Names are looked up as this machine does, also where the tree's own file is a link into
its /run, which is empty while the tree does not run.
"""


def entered(machine: str, root: Path, argv: Sequence[str]) -> list[str]:
    """The argv that runs ``argv`` in a tree. MachineError where that cannot be."""
    as_root(machine, argv)
    if shutil.which("unshare") is None:
        raise MachineError(
            f"running {argv[0]}", machine, "the tool unshare is missing", "install util-linux"
        )
    namespaces = ["unshare", "--mount", "--pid", "--fork", "--kill-child"]
    return [*namespaces, "/bin/sh", "-c", _ENTER, "enter", str(root), *argv]


def as_root(machine: str, argv: Sequence[str]) -> list[str]:
    """The same argv; MachineError where this user may not run it for a machine."""
    if os.geteuid() != 0:
        raise MachineError(f"running {argv[0]}", machine, "this needs root", "run it as root")
    return list(argv)

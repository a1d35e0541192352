"""A real tree under its own init: systemd as process 1 in namespaces of its own.

It has processes, mounts, names, control groups and a network of its own. Nothing in it is mounted
of this machine's own: what goes down turns what it cannot unmount read-only (umount(8), -r).
When it asks to be restarted, it is: the supervisor starts it again, as a machine's firmware would.
"""

import contextlib
import os
import shutil
import signal
import subprocess
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from tests.support.own_network import OwnNetwork

_NAMESPACES = ("--mount", "--pid", "--fork", "--uts", "--ipc", "--cgroup", "--kill-child")
_START = """
set -e
root=$1 init=$2 kernel=$3 options=$4
mount --make-rprivate /
mount --bind "$root" "$root"
mount -t proc proc "$root/proc"
mount -t sysfs -o ro sysfs "$root/sys"
mount -t cgroup2 cgroup2 "$root/sys/fs/cgroup"
mount -t tmpfs -o mode=755 tmpfs "$root/run"
mount -t tmpfs tmpfs "$root/tmp"
mount -t tmpfs -o mode=755 tmpfs "$root/dev"
for node in null:3 zero:5 full:7 random:8 urandom:9; do
  mknod -m 666 "$root/dev/${node%:*}" c 1 "${node#*:}"
done
mknod -m 666 "$root/dev/tty" c 5 0
mkdir "$root/dev/pts" "$root/dev/shm"
mount -t devpts -o newinstance,ptmxmode=0666 devpts "$root/dev/pts"
ln -s pts/ptmx "$root/dev/ptmx"
ln -s /proc/self/fd "$root/dev/fd"
if [ -e "$root/proc/sysrq-trigger" ]; then
  mount --bind "$root/dev/null" "$root/proc/sysrq-trigger"
fi
if [ -n "$kernel" ]; then
  echo "$kernel" >"$root/run/kernel"
  mount --bind "$root/run/kernel" "$root/proc/sys/kernel/osrelease"
fi
if [ -n "$options" ]; then
  echo "$options" >"$root/run/options"
  mount --bind "$root/run/options" "$root/proc/cmdline"
fi
mkdir -p "$root/mnt/outside"
cd "$root"
pivot_root . mnt/outside
umount -l /mnt/outside
exec env -i container=namespaces PATH=/usr/sbin:/usr/bin:/sbin:/bin $init
"""
_MOST_BOOTS = 12
_PATIENCE = 60.0


_SYSTEMD = "/lib/systemd/systemd"
_SYSTEMD_IS_UP = "systemctl is-system-running | grep -E '^(running|degraded)'"


def why_not() -> str:
    """Why no system can be booted in namespaces here; empty where one can."""
    missing = [tool for tool in ("setpriv", "nsenter", "unshare") if shutil.which(tool) is None]
    if missing:
        return f"missing tools: {', '.join(missing)}"
    script = "mount --make-rprivate / && mount -t cgroup2 cgroup2 /mnt"
    tried = subprocess.run(
        ["unshare", *_NAMESPACES, "sh", "-c", script], capture_output=True, text=True, check=False
    )
    return f"no control groups in namespaces: {tried.stderr.strip()}" if tried.returncode else ""


class Container:
    """The tree as it runs. ``boots`` counts how often it came up.

    ``init`` is its first process; ``is_up`` a line of shell that succeeds once that has started
    everything. Of this machine it reaches the ports ``reaches``. ``kernel`` is what it is told that
    it runs, with ``options``, where that is another than this machine's. It comes up ``most_boots``
    times at most.
    """

    def __init__(
        self,
        tree: Path,
        *,
        init: str = _SYSTEMD,
        is_up: str = _SYSTEMD_IS_UP,
        reaches: tuple[int, ...] = (),
        kernel: str = "",
        options: str = "",
        most_boots: int = _MOST_BOOTS,
    ) -> None:
        self.tree = tree
        self._told = (kernel, options)
        self._most_boots = most_boots
        self._init = init
        self._is_up = is_up
        self._network = OwnNetwork(reaches)
        self.boots = 0
        self._ends = threading.Event()
        self._process: subprocess.Popen | None = None
        self._supervisor = threading.Thread(target=self._supervise, daemon=True)

    def start(self) -> None:
        """Start it, and wait until its init answers."""
        self._supervisor.start()
        self.wait_until_up(1)

    def _supervise(self) -> None:
        """Start it again whenever it ended itself to be restarted (reboot(2), pid namespaces)."""
        # It ends with whoever supervises it, however that ends.
        tied = ["setpriv", "--pdeathsig", "KILL"]
        enter = ["nsenter", f"--net={self._network.path}", "unshare", *_NAMESPACES]
        argv = [*tied, *enter, "sh", "-c", _START, "sh", str(self.tree), self._init, *self._told]
        while not self._ends.is_set() and self.boots < self._most_boots:
            self._network.bring_up()
            self._process = subprocess.Popen(
                argv,
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                start_new_session=True,
            )
            self.boots += 1
            if self._process.wait() != -signal.SIGHUP:
                return

    @property
    def init(self) -> int:
        """Its first process, as this machine numbers it; 0 where it does not run now."""
        process = self._process
        if process is None or process.poll() is not None:
            return 0
        with contextlib.suppress(OSError):
            children = Path(f"/proc/{process.pid}/task/{process.pid}/children").read_text()
            return int(children.split()[0]) if children.split() else 0
        return 0

    def run(self, *argv: str, seconds: float = 60.0, **variables: str) -> tuple[int, str]:
        """Run a command in it; its exit code and output, 125 where it does not run now."""
        init = self.init
        if not init:
            return 125, ""
        enter = ["nsenter", "-t", str(init), "-m", "-p", "-u", "-i", "-n", "-C", "--"]
        with_variables = ["env", *(f"{name}={value}" for name, value in variables.items()), *argv]
        process = subprocess.Popen(
            [*enter, *with_variables],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
        )
        until = time.monotonic() + seconds
        while True:
            try:
                told, _ = process.communicate(timeout=0.5)
                return process.returncode, told
            except subprocess.TimeoutExpired:
                _continue_if_stopped(process.pid)
            if time.monotonic() > until:
                process.kill()
                return 124, process.communicate()[0]

    def wait_until_up(self, boots: int, seconds: float = _PATIENCE) -> None:
        """Wait until it came up that often and its init has started everything."""
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            if self.boots >= boots and self.run("sh", "-c", self._is_up, seconds=10)[0] == 0:
                return
            time.sleep(0.3)
        raise AssertionError(f"it did not come up {boots} times; it did {self.boots} times")

    def wait_until_down(self, seconds: float) -> bool:
        """Wait until it went down for good; whether it did."""
        self._supervisor.join(seconds)
        return not self._supervisor.is_alive()

    def end(self) -> None:
        """Switch it off."""
        self._ends.set()
        if init := self.init:
            with contextlib.suppress(ProcessLookupError):
                os.kill(init, signal.SIGKILL)
        self._supervisor.join(10)
        self._network.close()


def _continue_if_stopped(process: int) -> None:
    """Continue a nsenter(1) that stopped with what it started.

    A system that goes down stops all first (systemd-shutdown(8)); with nobody to reap what
    nsenter started in it, it would never end.
    """
    with contextlib.suppress(OSError):
        state = Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[0]
        if state == "T":
            os.kill(process, signal.SIGCONT)


@contextlib.contextmanager
def booted(tree: Path, **how: Any) -> Iterator[Container]:
    """The tree, running until the end of the block; ``how`` as a container has it."""
    container = Container(tree, **how)
    try:
        container.start()
        yield container
    finally:
        container.end()

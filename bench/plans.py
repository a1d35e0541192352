"""Planning over a whole release beside apt's own planning, on the same indices.

``python -m bench.plans`` runs it alone. Every figure is the least CPU time, user and system,
of several whole processes in turn. *Cold*: neither side has anything prepared (apt builds its
package cache, we our tables); *warm*: both have.
"""

import os
import shutil
import subprocess
import sys
import time

from tests.support import deb_machines as machines

from bench.one_plan import opened, universe
from brave_bridge.archives.store import IndexStore
from brave_bridge.core.packages.index_table import ScannedTable
from brave_bridge.core.planning.planner import plan_packages
from brave_bridge.machines.opening.beneath import Beneath

_RUNS = 4


def run_all() -> None:
    """All measurements, in a folder that is kept for the next run."""
    folder = machines.FOLDER.parent / "plans"
    shutil.rmtree(folder, ignore_errors=True)
    start = machines.AptWorld(folder / "bullseye", "bullseye")
    index = machines.indices_of("bullseye")[0]
    worlds = {r: machines.AptWorld(folder / r, r) for r in ("bookworm", "trixie")}
    store = IndexStore(Beneath(folder, "store"))
    sums = {r: store.keep(machines.index_file(r).read_bytes()) for r in worlds}
    print("| what | ours | apt, planning only | ratio | most memory | `apt-get -s`, once |")
    print("|---|---|---|---|---|---|")
    made = []
    for number, wanted in enumerate((machines.SMALL, machines.DESKTOP, machines.LARGE)):
        machine = machines.named_machine(
            start, index, folder / f"machine-{number}", wanted, small=not number
        )
        made.append(machine)
        for release, world in worlds.items():
            for cold in (True, False):
                _compare(machine, world, release, store, sums[release], cold)
    _many(made[0], store, sums["bookworm"])


def _compare(machine, world, release: str, store: IndexStore, sha256: str, cold: bool) -> None:
    table = store.path(sha256).with_suffix(".table")
    caches = ["-o", "Dir::Cache::pkgcache=", "-o", "Dir::Cache::srcpkgcache="] if cold else []

    def ours() -> tuple[float, str]:
        return _cost(
            [
                sys.executable,
                "-m",
                "bench.one_plan",
                str(machine.status),
                str(machine.marks),
                str(store.folder),
                sha256,
            ]
        )

    def theirs(mode: str = "--assume-no") -> tuple[float, str]:
        return _cost(
            [
                "apt-get",
                *caches,
                "-o",
                f"Dir::State::status={machine.status}",
                "-o",
                f"Dir::State::extended_states={machine.marks}",
                mode,
                "full-upgrade",
            ],
            {"APT_CONFIG": str(world.config)},
        )

    table.unlink(missing_ok=True)
    if not cold:
        table.write_bytes(ScannedTable(store.path(sha256).read_bytes()).encoded())
    ours(), theirs()
    own, other = [], []
    for _ in range(_RUNS):
        own.append(ours())
        other.append(theirs())
    mine, yardstick = min(cpu for cpu, _ in own), min(cpu for cpu, _ in other)
    ordered = "" if cold else f"{theirs('--simulate')[0]:.2f} s"
    packages = machine.status.read_bytes().count(b"\nStatus:")
    print(
        f"| {packages} packages, bullseye to {release}, {'cold' if cold else 'warm'} "
        f"| {mine:.2f} s | {yardstick:.2f} s | {yardstick / mine:.1f} times less "
        f"| {max(int(kilobytes) for _, kilobytes in own) / 1024:.0f} MB "
        f"| {ordered} |",
        flush=True,
    )


def _cost(argv: list[str], more: dict[str, str] | None = None) -> tuple[float, str]:
    """CPU seconds of a process and what it printed last."""
    process = subprocess.Popen(
        argv,
        env={**os.environ, **(more or {})},
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        stdin=subprocess.DEVNULL,
    )
    lines = process.stdout.read().splitlines()
    _, _, used = os.wait4(process.pid, 0)
    process.returncode = 0
    return used.ru_utime + used.ru_stime, lines[-1].decode() if lines else ""


def _many(machine, store: IndexStore, sha256: str, count: int = 100) -> None:
    """Many machines that share an index, in one process."""
    began = time.monotonic()
    index = opened(store, sha256)
    for _ in range(count):
        plan_packages(universe(machine.status, machine.marks, index))
    print(f"<!-- {count} machines that share an index: {time.monotonic() - began:.1f} s -->")


if __name__ == "__main__":
    run_all()

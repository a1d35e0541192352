"""A fleet of 500: surveying all, opening the screen on it, and scrolling through it."""

import os
import statistics
import subprocess
import tempfile
import time
from pathlib import Path

from bench.measure import in_turn, seconds
from bench.screen import Terminal, python
from brave_bridge.machines.standin.machine import StandInMachine
from brave_bridge.workbench.demo import build_demo
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.targets import Target

MACHINES = 500
_NAMES = ("gannet", "petrel", "skua", "puffin", "dunlin", "avocet", "turnstone", "fulmar", "knot")
_OURS = "from brave_bridge.cli.entry import main; main()"


def run_all() -> None:
    """All measurements, on copies of the demo's machines that are removed afterwards."""
    with tempfile.TemporaryDirectory(prefix="brave-bridge-bench-", dir="/var/tmp") as name:
        folder = Path(name)
        build_demo(folder / "demo", pace=0.0)
        roots = [copy_of_demo(folder, number) for number in range(MACHINES)]
        os.environ["XDG_STATE_HOME"] = str(folder / "state")
        _survey(roots)
        _screen(folder, roots)


def copy_of_demo(folder: Path, number: int) -> Path:
    """A stand-in of the fleet: a copy of one of the demo's machines."""
    root = folder / f"m-{number:03d}"
    source = folder / "demo" / _NAMES[number % len(_NAMES)]
    subprocess.run(["cp", "-a", "--reflink=auto", source, root], check=True)
    return root


def _survey(roots: list[Path]) -> None:
    def ours() -> None:
        for root in roots:
            Desk(Target("demo", root.name), StandInMachine(root.name, root)).survey()

    def theirs() -> None:
        for root in roots:
            subprocess.run(
                ["cat", root / "usr/lib/os-release"], check=True, stdout=subprocess.DEVNULL
            )

    in_turn(
        f"survey of {MACHINES} stand-ins, facts and findings (at most 5 s is wanted)",
        lambda: seconds(ours),
        "one `cat` of os-release for each",
        lambda: seconds(theirs),
    )


def _screen(folder: Path, roots: list[Path]) -> None:
    config = folder / "config/brave-bridge"
    config.mkdir(parents=True)
    rows = [f'[[machine]]\nname = "{root.name}"\ntree = "{root}"\n' for root in roots]
    (config / "fleet.toml").write_text("\n".join(rows))
    os.environ["XDG_CONFIG_HOME"] = str(config.parent)
    opened = []
    for _ in range(5):
        began = time.perf_counter()
        terminal = Terminal(python(_OURS), folder / "home")
        opened.append(terminal.read_until(b"m-005") - began)
        if len(opened) == 5:
            _keys(terminal, "while it is read")
            terminal.drain(2.0)
            _keys(terminal, "once it is read")
        terminal.end()
    print(
        f"| the Fleet with {MACHINES} machines on the screen (at most 1 s is wanted) "
        f"| {statistics.median(opened):.3f} s | slowest of 5 | {max(opened):.3f} s | |",
        flush=True,
    )


def _keys(terminal: Terminal, when: str) -> None:
    # Down and up again: at the end of the list a key changes nothing.
    ways = (b"\x1b[B", b"\x1b[6~", b"\x1b[B", b"\x1b[5~")
    spent = sorted(terminal.press(ways[n % len(ways)]) for n in range(20))
    print(
        f"| key Down, PgDn or PgUp in the Fleet of {MACHINES}, {when} "
        f"| {statistics.median(spent):.3f} s | slowest of 20 | {spent[-1]:.3f} s | |",
        flush=True,
    )

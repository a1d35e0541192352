"""How soon the screen paints, and how soon a key is answered, in a real pseudo-terminal."""

import fcntl
import os
import pty
import select
import signal
import statistics
import struct
import sys
import tempfile
import termios
import time
from pathlib import Path

from bench.measure import in_turn

_BARE_CODE = """
from textual.app import App
from textual.widgets import Footer, Static
class Bare(App):
    BINDINGS = [("q", "quit", "Fleet")]
    def compose(self):
        yield Static("first words")
        yield Footer()
Bare().run()
"""
_OUR_CODE = "from brave_bridge.cli.entry import main; main()"
_LONG_PLAN = "from bench.screen import show_long_plan; show_long_plan()"
_PATIENCE = 30.0
PLAN_ROWS = 5_000


class Terminal:
    """A program in a pseudo-terminal of 142 columns and 42 lines."""

    def __init__(self, argv: tuple[str, ...], home: Path) -> None:
        self.pid, self.descriptor = pty.fork()
        if self.pid == 0:
            os.environ.update(TERM="xterm-256color", XDG_STATE_HOME=str(home), HOME=str(home))
            os.execv(argv[0], argv)
        size = struct.pack("HHHH", 42, 142, 0, 0)
        fcntl.ioctl(self.descriptor, termios.TIOCSWINSZ, size)

    def read_until(self, words: bytes) -> float:
        """Read until those words were written; when that was."""
        seen = b""
        deadline = time.perf_counter() + _PATIENCE
        while words not in seen:
            if time.perf_counter() > deadline:
                raise TimeoutError(f"never saw {words!r} in {seen[-2000:]!r}")
            if select.select([self.descriptor], [], [], 0.5)[0]:
                seen += os.read(self.descriptor, 65536)
        return time.perf_counter()

    def drain(self, quiet_seconds: float) -> None:
        """Read until nothing was written for a while, at most for ten times as long."""
        deadline = time.perf_counter() + 10 * quiet_seconds
        while select.select([self.descriptor], [], [], quiet_seconds)[0]:
            os.read(self.descriptor, 65536)
            if time.perf_counter() > deadline:
                return

    def press(self, keys: bytes) -> float:
        """Send keys; the seconds until the program writes something."""
        began = time.perf_counter()
        os.write(self.descriptor, keys)
        select.select([self.descriptor], [], [], _PATIENCE)
        spent = time.perf_counter() - began
        self.drain(0.05)
        return spent

    def end(self) -> None:
        """Kill the program."""
        os.kill(self.pid, signal.SIGKILL)
        os.waitpid(self.pid, 0)
        os.close(self.descriptor)


def python(code: str, *words: str) -> tuple[str, ...]:
    """The command that runs code in this Python."""
    return sys.executable, "-c", code, *words


def first_paint(argv: tuple[str, ...], home: Path, marker: bytes) -> float:
    """Seconds from a program's start until a text stands on its screen."""
    began = time.perf_counter()
    terminal = Terminal(argv, home)
    try:
        return terminal.read_until(marker) - began
    finally:
        terminal.end()


BARE = python(_BARE_CODE)
OURS = python(_OUR_CODE, "--demo", "petrel")
OUR_WORD = b"Survey"


def run_all() -> None:
    """Start-up and the answer to a key."""
    from brave_bridge.workbench.demo import build_demo

    with tempfile.TemporaryDirectory(prefix="brave-bridge-bench-") as folder:
        home = Path(folder)
        build_demo(home / "brave-bridge/demo")
        in_turn(
            "first paint of the screen (at most 1.5 is wanted)",
            lambda: first_paint(OURS, home, OUR_WORD),
            "a bare Textual app",
            lambda: first_paint(BARE, home, b"first words"),
            rounds=9,
        )
        _keys(home)


def _keys(home: Path) -> None:
    terminal = Terminal(python(_LONG_PLAN), home)
    try:
        terminal.read_until(f"{PLAN_ROWS} packages".encode())
        terminal.drain(1.0)
        terminal.press(b"\r")  # Opens the fold.
        terminal.drain(1.0)
        for name, ways in (
            ("Down", (b"\x1b[B",)),
            ("PgDn", (b"\x1b[6~",)),
            ("End and Home", (b"\x1b[F", b"\x1b[H")),
        ):
            spent = sorted(terminal.press(ways[n % len(ways)]) for n in range(20))
            print(
                f"| key {name} with {PLAN_ROWS} plan rows (at most 0.050 is wanted) "
                f"| {statistics.median(spent):.3f} s | slowest of 20 | {spent[-1]:.3f} s | |",
                flush=True,
            )
        _filter(terminal)
    finally:
        terminal.end()


def _filter(terminal: Terminal) -> None:
    """From the key that narrows the filter to the row that it leads to, explained."""
    terminal.press(b"/")
    terminal.drain(0.5)
    terminal.press(b"package-")
    terminal.drain(0.5)
    spent = []
    for digit in "1234" * 5:
        began = time.perf_counter()
        os.write(terminal.descriptor, digit.encode())
        spent.append(terminal.read_until(f"package-{digit}000".encode()) - began)
        terminal.drain(0.3)
        terminal.press(b"\x7f")
        terminal.drain(0.3)
    spent.sort()
    print(
        f"| a letter more in the filter over {PLAN_ROWS} plan rows "
        f"(at most 0.050 is wanted) "
        f"| {statistics.median(spent):.3f} s | slowest of 20 | {spent[-1]:.3f} s | |",
        flush=True,
    )


def show_long_plan() -> None:
    """The screen on a plan of many rows."""
    from tests.support.facts import change, plan

    from brave_bridge.tui.app import BraveBridge
    from brave_bridge.tui.harbour import Harbour
    from brave_bridge.workbench.outlook.next_step import NextStep
    from brave_bridge.workbench.record import KeptPlan, MachineRecord

    changes = tuple(change(f"package-{n:04d}", by_hand=True) for n in range(1, PLAN_ROWS + 1))
    record = MachineRecord(
        name="petrel",
        about="web and database server",
        words=(),
        plan=KeptPlan(
            "7",
            "",
            "2026-11-25T12:00:00+00:00",
            (plan(upgraded=changes, new=(), removed=(), questions=(), sources=()),),
        ),
        next=NextStep("cross", "plan", "cross", 1),
    )

    class OneRecord(Harbour):
        def load(self, *, fresh, tell):
            self.current = record.name
            self.keep(record)
            return [record.name]

        def read(self, name):
            return record

    app = BraveBridge()
    app.harbour = OneRecord((), demo=False)
    app.set_reactive(BraveBridge.place, "plan")
    app.run()

"""What ``bench.hostile`` works in: a person's folders with a machine of the demo, and an outside.

A command is a process of its own, forked from one that has the program's modules loaded already.
"""

import contextlib
import json
import os
import re
import runpy
import shutil
import signal
import subprocess
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import NamedTuple

from tests.support.commands import end_by, waited_for

from brave_bridge.cli.running import run as run_here
from brave_bridge.workbench.demo import build_demo

LIMIT_SECONDS = 120
ENTRY = "brave_bridge.cli.entry"
_OPENED = re.compile(r'open(?:at2?)?\((?:(?:AT_FDCWD|\d+)<([^>]*)>, )?"((?:[^"\\]|\\.)*)"')
_FOLDERS = ("XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME", "HOME")


class Said(NamedTuple):
    """What came of a command: its exit code, -1 where it hung, and all that it said."""

    words: str
    code: int
    text: str


class World:
    """A person's folders with a machine in them, and the folder outside that must stay."""

    def __init__(self, folder: Path, machine: str) -> None:
        self.folder = folder
        self.machine = machine
        self.home, self.outside = folder / "home", folder / "outside"

    def argv(self, words: str) -> list[str]:
        """A command's words, the target ahead of them."""
        return ["--demo", self.machine, *words.split()]

    def opened_by(self, words: str) -> set[str]:
        """The paths from its home on that a command opens, as strace(1) has it, and are there."""
        there = {str(path.relative_to(self.home)) for path in self.home.rglob("*")}
        trace = self.folder / "trace"
        calls = ("-e", "trace=open,openat,openat2", "-o", str(trace))
        subprocess.run(
            ["strace", "-f", "-qq", "-y", *calls, sys.executable, "-m", ENTRY, *self.argv(words)],
            env={**os.environ, **dict.fromkeys(_FOLDERS, str(self.home))},
            cwd=self._work(),
            stdin=subprocess.DEVNULL,
            capture_output=True,
            check=False,
        )
        found = set()
        for line in trace.read_text(errors="replace").splitlines():
            if match := _OPENED.search(line):
                place = os.path.normpath(os.path.join(match[1] or "/", match[2]))
                # Where the state folder itself leads to is its person's own choice.
                if place.startswith(f"{self.home}/brave-bridge/"):
                    found.add(place[len(str(self.home)) + 1 :])
        return found & there

    def run(self, words: str) -> Said:
        """Run a command as whoever types it."""
        return self._forked([words], lambda: _as_typed(self.argv(words)))[0]

    def look(self, commands: Sequence[str], before: Callable[[], None]) -> list[Said]:
        """Run commands that change nothing, one by one in one process; ``before`` each of them."""

        def all_of_them() -> int:
            for number, words in enumerate(commands):
                before()
                self._speak_into(number)
                self._note(number, run_here(self.argv(words)))
            return 0

        return self._forked(commands, all_of_them)

    def _forked(self, commands: Sequence[str], deed: Callable[[], int]) -> list[Said]:
        """What each command said; where the process ended or hung before, those behind are out."""
        process = os.fork()
        if not process:
            end_by(lambda: self._be(deed))
        status = waited_for(process, LIMIT_SECONDS)
        if status is None:
            self.end_all()
            os.waitpid(process, 0)
        last = -1 if status is None else os.waitstatus_to_exitcode(status)
        return self._all_said(commands, last)

    def _all_said(self, commands: Sequence[str], last: int) -> list[Said]:
        found = []
        for number, words in enumerate(commands):
            told, code = self.folder / f"said-{number}", self.folder / f"code-{number}"
            if not told.exists():
                break
            noted = json.loads(code.read_text()) if code.exists() else last
            found.append(Said(words, noted, told.read_bytes().decode(errors="replace")))
            told.unlink()
            code.unlink(missing_ok=True)
        return found

    def _be(self, deed: Callable[[], int]) -> int:
        """Be the process of a command in this world."""
        os.setsid()
        os.environ.update(dict.fromkeys(_FOLDERS, str(self.home)))
        os.chdir(self._work())
        os.dup2(os.open(os.devnull, os.O_RDONLY), 0)
        self._speak_into(0)
        return deed()

    def _speak_into(self, number: int) -> None:
        sys.stdout.flush()
        sys.stderr.flush()
        said = self.folder / f"said-{number}"
        out = os.open(said, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        os.dup2(out, 1)
        os.dup2(out, 2)
        os.close(out)

    def _note(self, number: int, code: int) -> None:
        sys.stdout.flush()
        sys.stderr.flush()
        (self.folder / f"code-{number}").write_text(str(code))

    def _work(self) -> Path:
        """The folder that commands work in."""
        place = self.folder / "work"
        place.mkdir(exist_ok=True)
        return place

    def end_all(self) -> None:
        """Kill what still works in this world: it says so in its environment."""
        mark = str(self.home).encode()
        for process in Path("/proc").glob("[0-9]*"):
            with contextlib.suppress(OSError):
                # A forked one has no such environment in its account, but works in the world.
                started = mark in (process / "environ").read_bytes()
                works = f"{self.folder}/" in f"{os.readlink(process / 'cwd')}/"
                if (started or works) and int(process.name) != os.getpid():
                    os.kill(int(process.name), signal.SIGKILL)

    def copy(self, target: Path) -> "World":
        """A world of its own that is like this one."""
        subprocess.run(["cp", "-a", self.folder, target], check=True)
        return World(target, self.machine)


def _as_typed(argv: list[str]) -> int:
    sys.argv = [ENTRY, *argv]
    sys.modules.pop(ENTRY, None)
    runpy.run_module(ENTRY, run_name="__main__")
    return 0


def made(folder: Path, machine: str) -> World:
    """A world with that machine of the demo, its archives, and an outside that holds something."""
    world = World(folder, machine)
    fleet = world.home / "brave-bridge/demo"
    build_demo(fleet, pace=0.0)
    for place in fleet.iterdir():
        if place.is_dir() and place.name not in (machine, "archives"):
            shutil.rmtree(place)
    (world.outside / "folder").mkdir(parents=True)
    (world.outside / "kept").write_text("kept\n")
    (world.outside / "folder/kept").write_text("kept\n")
    return world

"""Every file that a command opens, turned into what an attacker would put there.

``python -m bench.hostile [SHARE] [WORD]`` prepares a machine with everything kept that there can
be, has ``strace`` tell what each command opens of it, and runs the command again with one of these
turned into a link that leads out, a pipe, a device, a folder, 4 GiB, or rubbish. Nothing outside
may change, nothing may hang, nothing may end in a traceback. ``SHARE`` is the part of all these
that is tried, by chance and the same each time; ``WORD`` the beginning of the commands.

A trial is a process of its own, forked from one that has the program's modules loaded already.
"""

import contextlib
import importlib
import multiprocessing
import os
import pkgutil
import random
import re
import runpy
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import traceback
from collections import Counter
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from typing import NamedTuple, NoReturn

import brave_bridge
from brave_bridge.cli.table import load_commands
from brave_bridge.workbench.demo import build_demo

MACHINE = "petrel"
PREPARED = """
survey
plan --to 7
snapshot
settings-backup
baseline
check --set front --kind command --command true
note add --severity note A-gauge-sticks
window 22:00-02:00
maintenance --enter true --leave true
confirm-backup
pin newest --reason kept
keep --newest 5
overrule pending-updates --reason later
card --folder .
ways-back
track --long-term
delete NEWEST --reason trial
""".strip().splitlines()
COMMANDS = """
survey
route
plan --to 7
plan
tasks
sources
update --list
window
maintenance
policies
ways-back
snapshot
verify newest
return newest --preview
return newest --reason trial --yes
put-back newest /etc/motd --yes
pin newest --reason x
deadline newest +9 --reason x
expire
delete NEWEST --reason trial
card --folder .
keep
cover
settings-backup
baseline
baseline --compare
proof
check
logbook
logbook --json
note list
note add --severity note Once-more
kernels
releases check
draw plan
draw ways-back
report
go-on
rest
confirm-backup
track
overrule pending-updates --reason later
""".strip().splitlines()
LIMIT_SECONDS = 120
ENTRY = "brave_bridge.cli.entry"
_OPENED = re.compile(r'open(?:at2?)?\((?:(?:AT_FDCWD|\d+)<([^>]*)>, )?"((?:[^"\\]|\\.)*)"')


def _link(place: Path, outside: Path) -> None:
    place.symlink_to(outside / ("folder" if place.name in FOLDERS else "kept"))


def _large(place: Path, outside: Path) -> None:
    with open(place, "wb") as stream:
        stream.truncate(4 << 30)


def _rubbish(place: Path, outside: Path) -> None:
    place.write_bytes(b'\xff\x1b[2J{"[' + random.Random(1).randbytes(9000))


FOLDERS: set[str] = set()
KINDS: dict[str, Callable[[Path, Path], None]] = {
    "link": _link,
    "pipe": lambda place, outside: os.mkfifo(place),
    "device": lambda place, outside: os.mknod(place, 0o20644, os.makedev(1, 5)),
    "folder": lambda place, outside: place.mkdir(),
    "4 GiB": _large,
    "rubbish": _rubbish,
}


class Trial(NamedTuple):
    """One command with one file turned into something."""

    words: str
    path: str
    kind: str


class World:
    """A person's folders with the machine in them, and the folder outside that must stay."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.home, self.outside = folder / "home", folder / "outside"

    @property
    def machine(self) -> Path:
        return self.home / "brave-bridge/demo" / MACHINE

    def argv(self, words: str) -> list[str]:
        """A command's words, the target ahead of them."""
        named = (self._newest() if word == "NEWEST" else word for word in words.split())
        return ["--demo", MACHINE, *named]

    def environment(self) -> dict[str, str]:
        """What a command of this world is given."""
        names = ("XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME", "HOME")
        return {**os.environ, **dict.fromkeys(names, str(self.home))}

    def work(self) -> Path:
        """The folder that commands work in."""
        place = self.folder / "work"
        place.mkdir(exist_ok=True)
        return place

    def traced(self, words: str, trace: Path) -> None:
        """Run a command under strace."""
        calls = ("-e", "trace=open,openat,openat2", "-o", str(trace))
        argv = ["strace", "-f", "-qq", "-y", *calls, sys.executable, "-m", ENTRY]
        subprocess.run(
            [*argv, *self.argv(words)],
            env=self.environment(),
            cwd=self.work(),
            stdin=subprocess.DEVNULL,
            capture_output=True,
            check=False,
        )

    def run(self, words: str) -> tuple[int, str]:
        """A command's exit code and all it says; -1 where it hung."""
        said = self.folder / "said"
        process = os.fork()
        if not process:
            self._be(words, said)
        until = time.monotonic() + LIMIT_SECONDS
        ended, status = os.waitpid(process, os.WNOHANG)
        while not ended and time.monotonic() < until:
            time.sleep(0.01)
            ended, status = os.waitpid(process, os.WNOHANG)
        if not ended:
            self.end_all()
            os.waitpid(process, 0)
        text = said.read_bytes().decode(errors="replace") if said.exists() else ""
        return (os.waitstatus_to_exitcode(status) if ended else -1), text

    def _be(self, words: str, said: Path) -> NoReturn:
        """Be the process of a command, and end as it ends."""
        code = 1
        try:
            os.setsid()
            os.environ.update(self.environment())
            os.chdir(self.work())
            os.dup2(os.open(os.devnull, os.O_RDONLY), 0)
            out = os.open(said, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
            os.dup2(out, 1)
            os.dup2(out, 2)
            sys.argv = [ENTRY, *self.argv(words)]
            runpy.run_module(ENTRY, run_name="__main__")
        except SystemExit as end:
            code = end.code if isinstance(end.code, int) else int(end.code is not None)
        except BaseException:
            traceback.print_exc()
        finally:
            with contextlib.suppress(OSError, ValueError):
                sys.stdout.flush()
                sys.stderr.flush()
            os._exit(code)

    def _newest(self) -> str:
        kept = self.machine / "var/lib/brave-bridge/snapshots"
        return max((path.name for path in kept.glob("2*")), default="none")

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
        subprocess.run(["cp", "-a", self.folder, target], check=True)
        return World(target)


def prepared(folder: Path) -> World:
    """A world in which everything was kept once."""
    world = World(folder)
    build_demo(world.home / "brave-bridge/demo", pace=0.0)
    (world.outside / "folder").mkdir(parents=True)
    (world.outside / "kept").write_text("kept\n")
    (world.outside / "folder/kept").write_text("kept\n")
    for place in (world.home / "brave-bridge/demo").iterdir():
        if place.is_dir() and place.name != MACHINE:
            shutil.rmtree(place)
    for words in PREPARED:
        world.run(words)
    return world


def opened_by(world: World, words: str) -> set[str]:
    """The paths of the world, from its home on, that a command opens and that are there before."""
    there = {str(path.relative_to(world.home)) for path in world.home.rglob("*")}
    trace = world.folder / "trace"
    world.traced(words, trace)
    found = set()
    for line in trace.read_text(errors="replace").splitlines():
        if match := _OPENED.search(line):
            place = os.path.normpath(os.path.join(match[1] or "/", match[2]))
            if place.startswith(f"{world.home}/"):
                found.add(place[len(str(world.home)) + 1 :])
    return found & there


def fault_of(world: World, trial: Trial, folder: Path) -> str:
    """What went wrong in a trial; empty where nothing did."""
    copy = world.copy(folder / f"{os.getpid()}-{time.monotonic_ns()}")
    try:
        place = copy.home / trial.path
        if place.is_dir() and not place.is_symlink():
            shutil.rmtree(place)
        else:
            place.unlink()
        KINDS[trial.kind](place, copy.outside)
        before = seen_of(copy.outside)
        code, said = copy.run(trial.words)
        copy.end_all()
        if code == -1:
            return "hung"
        if "Traceback" in said:
            return "traceback: " + said.strip().splitlines()[-1][:120]
        return "" if seen_of(copy.outside) == before else "something outside changed"
    finally:
        copy.end_all()
        shutil.rmtree(copy.folder, ignore_errors=True)


def seen_of(outside: Path) -> dict[str, tuple]:
    found = {}
    for path in [outside, *outside.rglob("*")]:
        status = path.lstat()
        content = path.read_bytes() if path.is_file() else b""
        found[str(path)] = (status.st_mode, status.st_mtime_ns, status.st_size, content)
    return found


def trials(world: World, share: float, word: str, folder: Path) -> Iterator[Trial]:
    """What is tried: every command with each of its files in each kind, or a share of that."""
    chance = random.Random(11)
    for words in COMMANDS:
        if not words.startswith(word):
            continue
        copy = world.copy(folder / "traced")
        paths = sorted(opened_by(copy, words))
        copy.end_all()
        FOLDERS.update(Path(path).name for path in paths if (world.home / path).is_dir())
        shutil.rmtree(copy.folder)
        for path in paths:
            yield from (Trial(words, path, kind) for kind in KINDS if chance.random() < share)


def _load() -> None:
    """Import all that commands import when they run."""
    load_commands()
    for module in pkgutil.walk_packages(brave_bridge.__path__, "brave_bridge."):
        if not module.name.startswith("brave_bridge.tui") and ".plain" not in module.name:
            importlib.import_module(module.name)


def main(share: str = "1", word: str = "") -> int:
    """Try it and print what came of it; 1 where anything went wrong."""
    counted: Counter[str] = Counter()
    wrong: list[tuple[Trial, str]] = []
    _load()
    with tempfile.TemporaryDirectory(dir=os.environ.get("TMPDIR", "/var/tmp")) as temporary:
        folder = Path(temporary)
        world = prepared(folder / "world")
        todo = list(trials(world, float(share), word, folder))
        print(f"{len(todo)} trials of {len({t.path for t in todo})} files", flush=True)
        forked = multiprocessing.get_context("fork")
        with ProcessPoolExecutor(2, forked) as pool:
            tried = partial(fault_of, world, folder=folder)
            for trial, fault in zip(todo, pool.map(tried, todo), strict=True):
                counted[trial.kind] += 1
                if fault:
                    wrong.append((trial, fault))
                    print(f"WRONG {fault}\n  {trial}", flush=True)
    for kind, count in counted.items():
        bad = sum(trial.kind == kind for trial, _ in wrong)
        print(f"| {kind} | {count} | {bad} |")
    print(f"| together | {counted.total()} | {len(wrong)} |")
    return bool(wrong)


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:]))

"""Every file that a command opens, turned into what an attacker would put there.

``python -m bench.hostile [SHARE] [SLICE]`` prepares machines with everything kept that there can
be, has ``strace`` tell what each command opens of them, and runs the command again with one of
these turned into a link that leads out, a pipe, a device, a folder, 4 GiB, or rubbish. Nothing
outside may change, nothing may hang, nothing may end in a traceback. ``SHARE`` is the part of all
these that is tried, by chance and the same each time; a ``SLICE`` such as ``2/8`` is the second
eighth of that, ``2-8/8`` all but the first: all eight, wherever they are run, are the whole.

Commands that only look are run one by one in the same world, with every file. Each of the others
has a world of its own: it is tried with the files that none of those opens, two of those that
differ in a package's or a snapshot's name alone (``ALIKE``), and with a tenth of the rest.
"""

import multiprocessing
import os
import random
import re
import shutil
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from functools import partial
from pathlib import Path
from typing import NamedTuple

from tests.support.commands import load_for_copies

from bench.hostile_world import Said, World, made
from brave_bridge.cli.table import MODULES


class Part(NamedTuple):
    """A machine of the demo: what is run to have everything kept, what looks, what changes it."""

    machine: str
    prepared: str
    looking: str
    changing: str


PARTS = (
    Part(
        "petrel",
        """
survey
cross --to 7 --yes
update --yes
plan --to 8
snapshot
settings-backup
baseline
check --set front --kind file /etc/hostname
note add --severity note A-gauge-sticks
confirm-backup
pin newest --reason kept
snapshot
keep --newest 5
card --folder .
ways-back
track every
""",
        """
survey
route
plan
tasks
sources
update --list
window
maintenance
policies
ways-back
verify newest
return newest --preview
compare newest
keep
cover
baseline --compare
proof
check
logbook
logbook --json
note list
kernels
releases check
draw plan
draw ways-back
track
expire --dry-run
""",
        """
plan --to 8
cross --to 8 --yes
snapshot
return newest --reason trial --yes
put-back newest /etc/hostname --yes
pin newest --reason x
unpin newest
deadline newest +9 --reason x
expire
delete newest --reason trial --yes
card --folder .
settings-backup
baseline
note add --severity note Once-more
report
go-on
rest
confirm-backup
window 22:00-02:00
maintenance --enter true --leave true
""",
    ),
    Part(
        "avocet",
        """
survey
add-kernel 5.19.0-7 --yes
overrule pending-updates --reason later
""",
        """
survey
kernels
offered-kernels
drivers 5.19.0-7
""",
        """
mend held-packages --yes
uphold pending-updates
remove-kernels 5.19.0-7 --yes
boot-once 5.19.0-7 --yes
""",
    ),
    Part(
        "avocet",
        "survey",
        "survey",
        """
update --yes
overrule pending-updates --reason later
hold-series 5.19 --yes
add-kernel 5.19.0-7 --yes
""",
    ),
    Part("gannet", "survey", "boot-menu", "start-other 0001 --yes\nkeep-past --yes"),
    Part(
        "knot",
        "survey\nbuild-kernel --configure-only --yes",
        "kernel-config",
        "build-kernel --configure-only --yes",
    ),
    Part(
        "puffin",
        "survey",
        "bundle\nbundle /srv/pool/bundles/keelstone-8.4.bundle",
        "bundle --fetch 8.5\ncross --to 8.4 --yes",
    ),
    Part(
        "whimbrel",
        "survey",
        "survey\nkept-system",
        "kept-system --until 2027-01-01\noverrule security-chip --reason later",
    ),
    Part("fulmar", "survey", "survey", "give-key --none"),
)
OPEN_NOTHING = {"demo", "completion", "manual"}
"""Commands without a machine."""


ALIKE = tuple(
    (re.compile(pattern), alike)
    for pattern, alike in (
        (r"/snapshots/[^/]+/[^/]+/tree/.*", "/snapshots/*/tree/*"),
        (r"/snapshots/\d[^/]+", "/snapshots/*"),
        (r"/dpkg/info/[^/]+(\.\w+)$", r"/dpkg/info/*\1"),
        (r"/usr/share/doc/[^/]+", "/usr/share/doc/*"),
        (r"/archives/.*(\.\w+)$", r"/archives/*\1"),
        (r"/lists/[^/]+_(\w+)$", r"/lists/*_\1"),
    )
)
"""What in a path is the name of one of many, and what all of them are called then."""


def _link(place: Path, outside: Path) -> None:
    place.symlink_to(outside / ("folder" if place.name in FOLDERS else "kept"))


def _large(place: Path, outside: Path) -> None:
    with open(place, "wb") as stream:
        stream.truncate(4 << 30)


def _rubbish(place: Path, outside: Path) -> None:
    place.write_bytes(b'\xff\x1b[2J{"[' + random.Random(1).randbytes(9000))


_OF_WHAT_OTHERS_OPEN = 0.1

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
    """Commands that open a file, which is turned into something; one, or all that only look."""

    part: int
    commands: tuple[str, ...]
    path: str
    kind: str


def faults_of(worlds: list[World], trial: Trial, folder: Path) -> list[str]:
    """What went wrong in a trial, in a sentence for each command; empty where nothing did."""
    copy = worlds[trial.part].copy(folder / f"{os.getpid()}-{time.monotonic_ns()}")
    place, put = copy.home / trial.path, KINDS[trial.kind]

    def turn() -> None:
        """Put it there, also where a command before has moved it away."""
        if place.is_dir() and not place.is_symlink():
            shutil.rmtree(place)
        else:
            place.unlink(missing_ok=True)
        if place.parent.is_dir():
            put(place, copy.outside)

    try:
        turn()
        before = seen_of(copy.outside)
        if len(trial.commands) == 1:
            said = [copy.run(trial.commands[0])]
        else:
            said = copy.look(trial.commands, turn)
        copy.end_all()
        found = [f"{one.words}: {fault}" for one in said if (fault := _fault_in(one))]
        if len(said) < len(trial.commands) and not found:
            found.append(f"{said[-1].words}: the process ended in it")
        if seen_of(copy.outside) != before:
            found.append(f"{', '.join(trial.commands)}: something outside changed")
        return found
    except OSError as error:
        return [f"the trial itself: {error}"]
    finally:
        copy.end_all()
        shutil.rmtree(copy.folder, ignore_errors=True)


def _fault_in(said: Said) -> str:
    if said.code == -1:
        return "hung"
    if "Traceback" in said.text:
        return "traceback: " + said.text.strip().splitlines()[-1][:120]
    return ""


def seen_of(outside: Path) -> dict[str, tuple]:
    found = {}
    for path in [outside, *outside.rglob("*")]:
        status = path.lstat()
        content = path.read_bytes() if path.is_file() else b""
        found[str(path)] = (status.st_mode, status.st_mtime_ns, status.st_size, content)
    return found


def trials(world: World, number: int, share: float, folder: Path) -> Iterator[Trial]:
    """What is tried in the world of a part: each file of a command in each kind, or a share."""
    part, chance = PARTS[number], random.Random(11)
    opened = _opened_by_each(world, _lines(part.looking), folder)
    known = set().union(*opened.values())
    for path in sorted(known):
        looking = tuple(words for words, paths in opened.items() if path in paths)
        for kind in KINDS:
            tried = tuple(words for words in looking if chance.random() < share)
            if tried:
                yield Trial(number, tried, path, kind)
    for words, paths in _opened_by_each(world, _lines(part.changing), folder).items():
        for path in _two_of_each_sort(paths, chance):
            often = share * _OF_WHAT_OTHERS_OPEN if path in known else share
            kinds = [kind for kind in KINDS if chance.random() < often]
            yield from (Trial(number, (words,), path, kind) for kind in kinds)


def _two_of_each_sort(paths: set[str], chance: random.Random) -> list[str]:
    sorts: dict[str, list[str]] = {}
    for path in sorted(paths):
        sort = path
        for pattern, alike in ALIKE:
            sort = pattern.sub(alike, sort)
        sorts.setdefault(sort, []).append(path)
    return [path for paths in sorts.values() for path in chance.sample(paths, min(2, len(paths)))]


def _lines(text: str) -> list[str]:
    return text.strip().splitlines()


def _opened_by_each(world: World, commands: list[str], folder: Path) -> dict[str, set[str]]:
    """What each command opens, two of them traced at a time."""
    with ThreadPoolExecutor(2) as pool:
        found = pool.map(lambda words: _opened(world, words, folder), commands)
        return dict(zip(commands, found, strict=True))


def _opened(world: World, words: str, folder: Path) -> set[str]:
    copy = world.copy(Path(tempfile.mkdtemp(dir=folder)) / "traced")
    paths = copy.opened_by(words)
    copy.end_all()
    FOLDERS.update(Path(path).name for path in paths if (world.home / path).is_dir())
    shutil.rmtree(copy.folder.parent)
    return paths


def _prepared(part: Part, folder: Path) -> World:
    world = made(folder, part.machine)
    for words in _lines(part.prepared):
        said = world.run(words)
        if said.code:
            raise RuntimeError(f"{part.machine}: {words} gave {said.code}: {said.text[-400:]}")
    return world


def commands_tried() -> set[str]:
    """The names of the commands that are run here."""
    texts = (text for part in PARTS for text in (part.looking, part.changing))
    return {line.split()[0] for text in texts for line in _lines(text)}


def commands_left() -> set[str]:
    """The names of those that open files of a machine and are not run here."""
    every = {name for names in MODULES.values() for name in names}
    return every - commands_tried() - OPEN_NOTHING


def _to_try(worlds: list[World], share: float, part: str, folder: Path) -> list[Trial]:
    """A slice (``first/of``, or ``first-last/of``) of what is tried in all worlds."""
    wanted, _, of = part.partition("/")
    first, _, last = wanted.partition("-")
    every = [trial for n, world in enumerate(worlds) for trial in trials(world, n, share, folder)]
    # The kinds follow one another: by chance each slice has its part of all of them.
    random.Random(7).shuffle(every)
    slices = range(int(first), int(last or first) + 1)
    return [trial for number in slices for trial in every[number - 1 :: int(of)]]


def _try_all(worlds: list[World], todo: list[Trial], folder: Path) -> bool:
    """Try them, two at a time, and print what came of it; whether anything went wrong."""
    counted: Counter[str] = Counter()
    wrong: Counter[str] = Counter()
    with ProcessPoolExecutor(2, multiprocessing.get_context("fork")) as pool:
        tried = pool.map(partial(faults_of, worlds, folder=folder), todo)
        try:
            for trial, faults in zip(todo, tried, strict=True):
                counted[trial.kind] += len(trial.commands)
                wrong[trial.kind] += len(faults)
                for fault in faults:
                    print(f"WRONG {fault}\n  {trial.path}: {trial.kind}", flush=True)
        finally:
            pool.shutdown(cancel_futures=True)
    for kind in KINDS:
        print(f"| {kind} | {counted[kind]} | {wrong[kind]} |")
    print(f"| together | {counted.total()} | {wrong.total()} |")
    return wrong.total() > 0


def main(share: str = "1", part: str = "1/1") -> int:
    """Try it and print what came of it; 1 where anything went wrong."""
    load_for_copies()
    with tempfile.TemporaryDirectory(dir=os.environ.get("TMPDIR", "/var/tmp")) as temporary:
        folder = Path(temporary)
        worlds = [_prepared(one, folder / f"part-{n}") for n, one in enumerate(PARTS)]
        todo = _to_try(worlds, float(share), part, folder)
        times = sum(len(one.commands) for one in todo)
        files = {(one.part, one.path) for one in todo}
        print(f"{times} trials of {len(files)} files in {len(todo)} worlds", flush=True)
        return _try_all(worlds, todo, folder)


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:]))

"""Making a runtime of our own: a folder that Brave Bridge runs from on any release.

``python -m brave_bridge.runner.own_runtime FOLDER`` makes one anywhere: the bundle.
"""

import compileall
import contextlib
import importlib
import importlib.metadata
import json
import os
import pkgutil
import re
import shutil
import subprocess
import sys
import sysconfig
from collections.abc import Callable, Iterator
from pathlib import Path

import msgspec

import brave_bridge
from brave_bridge.core.formats.decoding import fields_of
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.opening.named import ours_at
from brave_bridge.machines.port import STATE_FOLDER
from brave_bridge.machines.runtime import INTERPRETER, LIBRARIES, LOADER, MARK, python_argv

NAME = "brave-bridge"
KEPT_RUNTIME = Path(STATE_FOLDER) / "runtime"
"""Where the running system keeps one."""

LEAST_ROOM = 600_000_000
"""Bytes that have to be free where a runtime is made."""

_LARGEST_MARK = 1_000_000
_WITHOUT = frozenset(
    (
        "__phello__",
        "config",
        "dist-packages",
        "ensurepip",
        "idlelib",
        "lib2to3",
        "site-packages",
        "test",
        "tests",
        "tkinter",
        "turtledemo",
    )
)
_LIBRARY = re.compile(r"^\s*(?:(\S+) => )?(/\S+) \(0x")
_NAME_SERVICE = ("libnss_files.so.2", "libnss_dns.so.2", "libresolv.so.2")
"""Older C libraries load these by name, so that nothing says that they are needed."""

_STARTER = f"""#!/bin/sh
here=$(dirname -- "$(readlink -f -- "$0")")
exec "$here/{LOADER}" --library-path "$here/{LIBRARIES}" "$here/{INTERPRETER}" -I -S -B \\
  -m brave_bridge.cli.entry "$@"
"""
_PROOF = """
import sys
import blake3, httpx, lz4.frame, matplotlib.figure, msgspec, pysat.solvers, pysequoia
import segno, socksio, sqlalchemy, ssl, textual, tomlkit, zstandard
import brave_bridge.cli.running, brave_bridge.snapshots.jobs.helper, brave_bridge.tui.app
import brave_bridge.workbench.run
with open("/proc/self/maps") as maps:
    paths = {line.split(None, 5)[5].strip() for line in maps if line.count("/")}
print("\\n".join(sorted(path for path in paths if ".so" in path)))
"""


class RuntimeFault(Exception):
    """No runtime could be made; the message says why."""


def why_none(folder: Path) -> str:
    """Why no runtime could be made in a folder, as far as looking tells; empty where it can."""
    if shutil.which("ldd") is None:
        return "the tool ldd, which names the libraries that are needed, is missing"
    there = next(place for place in (folder, *folder.parents) if place.is_dir())
    room = os.statvfs(there)
    free = room.f_bavail * room.f_frsize
    if free < LEAST_ROOM and not (folder / MARK).is_file():
        return f"{LEAST_ROOM - free} bytes are missing in {there}"
    return ""


def make_runtime(folder: Path, tell: Callable[[str], None] = lambda words: None) -> Path:
    """Make a runtime, or keep the one that is there where it is that of this program.

    It stands in its place only once it has been started. RuntimeFault where it cannot.
    """
    wanted = _identity()
    if _is_that(folder, wanted):
        return folder
    if why := why_none(folder):
        raise RuntimeFault(why)
    place = ours_at(folder)
    new = place.beside(f".{place.name}-new")
    tell("copying interpreter, packages and libraries")
    try:
        new.remove_all()
        new.make_new_folder()
        _fill(new.path)
        (new / MARK).write(json.dumps(wanted, indent=1).encode())
        tell("starting it")
        prove(new.path)
        _put_in_place(new, place)
    except (OSError, subprocess.SubprocessError) as error:
        _let_go(new)
        raise RuntimeFault(str(error)) from error
    except RuntimeFault:
        _let_go(new)
        raise
    return folder


def _put_in_place(new: Beneath, place: Beneath) -> None:
    before = place.beside(f".{place.name}-before")
    before.remove_all()
    with contextlib.suppress(FileNotFoundError):
        place.move_to(before)
    new.move_to(place)
    _let_go(before)


def _let_go(folder: Beneath) -> None:
    with contextlib.suppress(OSError):
        folder.remove_all()


def _identity() -> dict[str, str]:
    """What a runtime is made of, so that one of something else is made anew."""
    status = os.stat(_interpreter())
    packages = {d.metadata["Name"]: d.version for d in _distributions()}
    return {
        "version": brave_bridge.__version__,
        "python": sys.version,
        "interpreter": f"{_interpreter()} {status.st_size} {status.st_mtime_ns}",
        "own": str(_newest(Path(brave_bridge.__file__).parent)),
        **packages,
    }


def _newest(folder: Path) -> int:
    return max(path.stat().st_mtime_ns for path in folder.rglob("*.py"))


def _is_that(folder: Path, wanted: dict[str, str]) -> bool:
    try:
        return fields_of((ours_at(folder) / MARK).read(_LARGEST_MARK)) == wanted
    except (OSError, msgspec.DecodeError):
        return False


def _interpreter() -> Path:
    return Path(os.path.realpath(sys.executable))


def _fill(folder: Path) -> None:
    library = folder / LIBRARIES / f"python{sys.version_info.major}.{sys.version_info.minor}"
    (folder / "bin").mkdir()
    library.mkdir(parents=True)
    shutil.copy2(_interpreter(), folder / INTERPRETER)
    for kind in ("stdlib", "platstdlib"):
        _copy_tree(Path(sysconfig.get_path(kind)), library, _WITHOUT)
    own = Path(brave_bridge.__file__).parent
    _copy_tree(own, library / own.name, frozenset())
    for distribution in _distributions():
        _copy_distribution(distribution, library)
    _copy_libraries(folder, library)
    # It writes no bytecode where it runs: what is not compiled yet is compiled here.
    compileall.compile_dir(library, quiet=2)
    (ours_at(folder) / NAME).write(_STARTER.encode(), 0o755)


def _copy_tree(source: Path, target: Path, without: frozenset[str]) -> None:
    def left_out(folder: str, names: list[str]) -> set[str]:
        top = set(names) & without | {name for name in names if name.startswith("_tkinter")}
        links = {name for name in names if not os.path.exists(os.path.join(folder, name))}
        return top | links | {name for name in names if name.startswith("config-")}

    shutil.copytree(source, target, ignore=left_out, dirs_exist_ok=True)


def _distributions() -> list[importlib.metadata.Distribution]:
    """Brave Bridge and all that it needs, as pip installed it."""
    found: dict[str, importlib.metadata.Distribution] = {}
    pending = [NAME]
    while pending:
        name = pending.pop()
        key = re.sub(r"[-_.]+", "-", name).lower()
        if key in found:
            continue
        try:
            found[key] = importlib.metadata.distribution(name)
        except importlib.metadata.PackageNotFoundError:
            continue  # for another system or Python: what is missed, the proof tells
        for requirement in found[key].requires or ():
            if "extra ==" not in requirement:
                pending.append(re.split(r"[ ;\[<>=!~(]", requirement, maxsplit=1)[0])
    return list(found.values())


def _copy_distribution(distribution: importlib.metadata.Distribution, library: Path) -> None:
    for file in distribution.files or ():
        if ".." in file.parts or "tests" in file.parts or file.suffix == ".pyi":
            continue
        source = Path(str(distribution.locate_file(file)))
        target = library / file
        if source.is_file() and not target.exists():
            target.parent.mkdir(parents=True, exist_ok=True)
            shutil.copy2(source, target)


def _copy_libraries(folder: Path, library: Path) -> None:
    """The shared libraries that anything in the runtime needs, the loader among them."""
    programs = [folder / INTERPRETER, *library.rglob("*.so"), *library.rglob("*.so.*")]
    needed = dict(_libraries_of(programs, library))
    target = folder / LIBRARIES
    for name, path in needed.items():
        if name.startswith(("ld-linux", "ld64")):
            shutil.copy2(path, folder / LOADER)
        shutil.copy2(path, target / name)
    if not (folder / LOADER).is_file():
        raise RuntimeFault("the interpreter names no loader: it is linked in a way of its own")
    beside = Path(os.path.realpath(needed.get("libc.so.6", "/"))).parent
    for name in _NAME_SERVICE:
        if (beside / name).is_file() and not (target / name).exists():
            shutil.copy2(beside / name, target / name)


def _libraries_of(programs: list[Path], library: Path) -> Iterator[tuple[str, str]]:
    for start in range(0, len(programs), 50):
        handful = [str(path) for path in programs[start : start + 50]]
        said = subprocess.run(
            ["ldd", *handful], capture_output=True, text=True, check=False, timeout=120
        )
        for line in said.stdout.splitlines():
            if "not found" in line:
                continue  # of a module that is for another system: what is missed, the proof tells
            found = _LIBRARY.match(line)
            if found and not found[2].startswith(str(library)):
                yield found[1] or os.path.basename(found[2]), found[2]


def prove(runtime: Path) -> None:
    """Start all of it once; RuntimeFault where it does not start, or uses what is not its own."""
    argv = [*python_argv(runtime), "-c", _PROOF]
    done = subprocess.run(
        argv,
        capture_output=True,
        text=True,
        check=False,
        timeout=300,
        env={"LC_ALL": "C.UTF-8"},
        cwd="/",
    )
    if done.returncode != 0:
        told = done.stderr.strip().splitlines()[-1:] or [f"exit code {done.returncode}"]
        raise RuntimeFault(f"it does not start: {told[0]}")
    own = os.path.realpath(runtime)
    foreign = [path for path in done.stdout.splitlines() if not path.startswith(own + "/")]
    if foreign:
        raise RuntimeFault(f"it uses what is not its own: {', '.join(foreign[:3])}")


def load_all() -> None:
    """Load every module of ours: what is not loaded yet may be gone once a leg has begun."""
    for module in pkgutil.walk_packages(brave_bridge.__path__, "brave_bridge."):
        if not module.name.endswith("__main__"):
            importlib.import_module(module.name)


def main() -> int:
    """Make a runtime in the folder that the command line names."""
    folder = Path(sys.argv[1]).absolute()
    folder.parent.mkdir(parents=True, exist_ok=True)
    try:
        make_runtime(folder, lambda words: print(f"· {words}", file=sys.stderr))
    except RuntimeFault as fault:
        print(f"no runtime in {folder}: {fault}", file=sys.stderr)
        return 1
    print(folder / NAME)
    return 0


if __name__ == "__main__":
    sys.exit(main())

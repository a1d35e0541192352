"""The program that runs a command on a stand-in: ``python -m ... ROOT -- argv``.

Each command is a process of its own, and most end at once: nothing is loaded that it does not need.
"""

import errno
import gc
import io
import os
import stat
import sys
from collections.abc import Callable
from pathlib import Path


def run(root: Path, argv: list[str]) -> int:
    """Carry out a command; its exit code, 127 where the stand-in has no such program."""
    program = _PROGRAMS.get(argv[0])
    if program is not None:
        return program(root, argv[1:])
    from brave_bridge.machines.standin.what_runs import run_on_what_runs

    return run_on_what_runs(root, argv)


def _apt_get(root: Path, words: list[str]) -> int:
    from brave_bridge.machines.port import MachineError
    from brave_bridge.machines.standin.apt import AptGet
    from brave_bridge.machines.standin.files import files_of

    try:
        return AptGet(files_of(root), words).run()
    except MachineError as error:
        print(f"E: {error.attempted} ({error.seen})")
        return 100


def _apt_mark(root: Path, words: list[str]) -> int:
    from brave_bridge.machines.standin.files import files_of
    from brave_bridge.machines.standin.marks import mark

    mark(files_of(root), set(words[1:]), words[0])
    return 0


def _dpkg(root: Path, words: list[str]) -> int:
    from brave_bridge.machines.standin.dpkg import run
    from brave_bridge.machines.standin.files import files_of

    return run(files_of(root), words)


def _efibootmgr(root: Path, words: list[str]) -> int:
    from brave_bridge.machines.standin.efi import efibootmgr

    return efibootmgr(root, words)


def _make(root: Path, words: list[str]) -> int:
    from brave_bridge.machines.standin.make import make

    return make(root, words)


def _ln(root: Path, words: list[str]) -> int:
    link = root / words[-1].lstrip("/")
    link.unlink(missing_ok=True)
    link.symlink_to(words[-2])
    return 0


_CHANGES_A_FOLDER = {
    "os.link": (1,),
    "os.mkdir": (0,),
    "os.remove": (0,),
    "os.rename": (0, 1),
    "os.rmdir": (0,),
    "os.symlink": (1,),
}
"""Audit events, and which of their arguments are names in a folder that changes."""
_CHANGES_WHAT_IS_THERE = (
    "os.chmod",
    "os.chown",
    "os.setxattr",
    "os.truncate",
    "os.utime",
    "shutil.rmtree",
)
"""Audit events whose first argument is followed to what changes."""
_NAMES = (str, bytes, os.PathLike)
"""What names a file; a number is one that was opened before."""


def guard_of(root: Path) -> Callable[[str, tuple[object, ...]], None]:
    """An audit hook by which a stand-in's command opens no pipe and no device, and changes nothing
    but what is below its root: it would wait for ever, or a link would lead it out.

    OSError where it would.
    """
    inside = f"{os.path.realpath(root)}/"

    def must_be_inside(about: object, *, followed: bool) -> None:
        # A name without its folder is one in a folder that was opened before, as removals do.
        if not isinstance(about, _NAMES) or not os.path.isabs(name := os.fsdecode(about)):
            return
        changed = name if followed else os.path.dirname(name)
        if not f"{os.path.realpath(changed)}/".startswith(inside):
            raise OSError(errno.EXDEV, "it leads out of the stand-in", name)

    def guard(event: str, about: tuple[object, ...]) -> None:
        if event == "open" and isinstance(about[0], _NAMES):
            name, flags = os.fsdecode(about[0]), about[2]
            if name == os.devnull:
                return
            _must_answer(name)
            if isinstance(flags, int) and flags & (os.O_WRONLY | os.O_RDWR):
                must_be_inside(name, followed=True)
        elif event in _CHANGES_WHAT_IS_THERE:
            must_be_inside(about[0], followed=True)
        else:
            for number in _CHANGES_A_FOLDER.get(event, ()):
                must_be_inside(about[number], followed=False)

    return guard


def _must_answer(name: str) -> None:
    try:
        mode = os.stat(name).st_mode
    except OSError:
        return
    if stat.S_ISFIFO(mode) or stat.S_ISCHR(mode):
        raise OSError(errno.ENXIO, "it is a pipe or a device", name)


def _load_msgspec() -> None:
    """Load it without typing_extensions, a fifth of all that is loaded here: it does without."""
    sys.modules["typing_extensions"] = None  # type: ignore[assignment]
    import msgspec  # noqa: F401

    del sys.modules["typing_extensions"]


_PROGRAMS: dict[str, Callable[[Path, list[str]], int]] = {
    "apt-get": _apt_get,
    "apt-mark": _apt_mark,
    "dpkg": _dpkg,
    "efibootmgr": _efibootmgr,
    "make": _make,
    "ln": _ln,
}


if __name__ == "__main__":
    # It ends before there is rubbish to look for.
    gc.disable()
    _load_msgspec()
    sys.addaudithook(guard_of(Path(sys.argv[1])))
    # Whoever watches the job's output sees each line as it comes.
    if isinstance(sys.stdout, io.TextIOWrapper):
        sys.stdout.reconfigure(line_buffering=True)
    sys.exit(run(Path(sys.argv[1]), sys.argv[3:]))

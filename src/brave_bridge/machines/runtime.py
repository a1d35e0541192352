"""The interpreter that Brave Bridge runs on, and how to start another process on the same.

A runtime of our own is a folder with interpreter, standard library, packages and every
shared library down to the C library and its loader: it needs nothing of the system that it
runs on, and goes on while a leg replaces all of that.
"""

import sys
from pathlib import Path

MARK = "runtime.json"
LOADER, LIBRARIES, INTERPRETER = "lib/ld.so", "lib", "bin/python3"


def own_runtime() -> Path | None:
    """The folder of the runtime that this process runs from; None where it is the system's."""
    folder = Path(sys.executable).parent.parent
    return folder if (folder / MARK).is_file() else None


def python_argv(runtime: Path | None = None) -> list[str]:
    """What starts Python on a runtime (ld.so(8)), by default on what this process runs on.

    Neither the environment nor a site's packages are looked at by a runtime's interpreter,
    and it writes no bytecode: what a package manager installed it can remove again.
    """
    folder = runtime or own_runtime()
    if folder is None:
        return [sys.executable]
    loader, libraries, interpreter = (str(folder / p) for p in (LOADER, LIBRARIES, INTERPRETER))
    return [loader, "--library-path", libraries, interpreter, "-I", "-S", "-B"]

"""The bundle that runs where nothing is installed: its size, its start, its first paint.

``python -m bench.bundle`` makes it in a folder of its own (``make bundle`` makes the same) and
holds it against this environment.
"""

import subprocess
import sys
import tempfile
from pathlib import Path

from bench.measure import HEAD, in_turn, seconds
from bench.screen import BARE, OUR_WORD, OURS, first_paint
from brave_bridge.runner.own_runtime import make_runtime
from brave_bridge.workbench.demo import build_demo

_HERE = (str(Path(sys.executable).with_name("brave-bridge")),)


def run_all() -> None:
    """Make it, weigh it, start it."""
    with tempfile.TemporaryDirectory(prefix="brave-bridge-bench-", dir="/var/tmp") as folder:
        home, bundle = Path(folder, "home"), Path(folder, "bundle")
        spent = seconds(lambda: make_runtime(bundle))
        files = [path.lstat() for path in bundle.rglob("*")]
        size = sum(status.st_size for status in files)
        print(
            f"<!-- the bundle: {size / 1e6:.0f} MB in {len(files)} files, "
            f"made and proved in {spent:.1f} s -->",
            flush=True,
        )
        command = str(bundle / "brave-bridge")
        in_turn(
            "start of the bundle (--version)",
            lambda: _ran(command, "--version"),
            "that of this environment",
            lambda: _ran(*_HERE, "--version"),
            rounds=9,
        )
        build_demo(home / "brave-bridge/demo")
        ours = (command, "--demo", "petrel")
        for name, argv, word in (
            ("a bare Textual app", BARE, b"first words"),
            ("that of this environment", OURS, OUR_WORD),
        ):
            in_turn(
                "first paint of the bundle",
                lambda: first_paint(ours, home, OUR_WORD),
                name,
                lambda argv=argv, word=word: first_paint(argv, home, word),
                rounds=9,
            )


def _ran(*argv: str) -> float:
    return seconds(lambda: subprocess.run(argv, check=True, capture_output=True))


if __name__ == "__main__":
    print(HEAD)
    run_all()

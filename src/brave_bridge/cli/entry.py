"""The program's entry: the screen where no command is named, otherwise the command line.

The screen's path imports as little as it can, so that it paints at once.
"""

import sys

_TARGET_OPTIONS = ("--tree", "--demo")


def main() -> None:
    """Run ``brave-bridge``."""
    words = sys.argv[1:]
    if not words or (len(words) == 2 and words[0] in _TARGET_OPTIONS):
        sys.exit(open_screen(tuple(words)))
    from brave_bridge.cli.commands import run

    sys.exit(run(words))


def open_screen(target: tuple[str, ...] = (), *, demo: bool = False, fresh: bool = False) -> int:
    """Open the screen on a target or on the demo fleet; its exit code."""
    from brave_bridge.tui.app import BraveBridge

    app = BraveBridge(target, demo=demo, fresh=fresh)
    app.run()
    if app.farewell:
        print(app.farewell, file=sys.stderr if app.return_value else sys.stdout)
    return app.return_value or 0

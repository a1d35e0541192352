"""Opening the screen. Nothing heavy is imported here, so that it paints at once."""

import sys

from brave_bridge.machines.loading import loading

_BAD_USAGE = 2
_NO_TERMINAL = (
    "brave-bridge: the screen needs a terminal, and input or output is a file or a pipe here "
    "(name a command: brave-bridge --help)"
)


def open_screen(target: tuple[str, ...] = (), *, demo: bool = False, fresh: bool = False) -> int:
    """Open the screen on a target or on the demo fleet; its exit code."""
    if not all(stream and stream.isatty() for stream in (sys.stdin, sys.stdout, sys.stderr)):
        print(_NO_TERMINAL, file=sys.stderr)
        return _BAD_USAGE
    with loading():
        from brave_bridge.tui.app import BraveBridge

    app = BraveBridge(target, demo=demo, fresh=fresh)
    app.run()
    if app.farewell:
        print(app.farewell, file=sys.stderr if app.return_value else sys.stdout)
    return app.return_value or 0

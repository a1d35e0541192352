"""Opening the screen. Nothing heavy is imported here, so that it paints at once."""

import sys

from brave_bridge.machines.loading import loading


def open_screen(target: tuple[str, ...] = (), *, demo: bool = False, fresh: bool = False) -> int:
    """Open the screen on a target or on the demo fleet; its exit code."""
    with loading():
        from brave_bridge.tui.app import BraveBridge

    app = BraveBridge(target, demo=demo, fresh=fresh)
    app.run()
    if app.farewell:
        print(app.farewell, file=sys.stderr if app.return_value else sys.stdout)
    return app.return_value or 0

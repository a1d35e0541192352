"""The program's entry: the screen where no command is named, otherwise the command line.

The screen's path imports as little as it can, so that it paints at once.
"""

import io
import os
import sys
import threading
from typing import NoReturn

from brave_bridge.cli.names import VARIABLE
from brave_bridge.cli.opening import open_screen
from brave_bridge.cli.table import OF_THE_TARGET
from brave_bridge.machines.loading import loading


def main() -> None:
    """Run ``brave-bridge``."""
    _never_fail_at_a_letter()
    words = sys.argv[1:]
    opens = not words or (len(words) == 2 and words[0] in OF_THE_TARGET)
    if opens and VARIABLE not in os.environ:
        sys.exit(open_screen(tuple(words)))
    with loading():
        from brave_bridge.cli.ready import runner_for

        # First of all: it loads while this process does.
        ready = runner_for(words)
        from brave_bridge.cli.running import run
    _leave(run(words, ready))


def _never_fail_at_a_letter() -> None:
    """What the encoding of whoever reads has no letter for is a question mark, not a traceback."""
    for stream in filter(None, (sys.stdout, sys.stderr)):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="replace")


def _leave(code: int) -> NoReturn:
    """End at once, but in the ordinary way where a thread is still at work.

    Taking apart all that was loaded would take a tenth of a second, and nobody has a use for it.
    """
    if threading.active_count() == 1 and _is_written():
        os._exit(code)
    sys.exit(code)


def _is_written() -> bool:
    """Whether whoever reads has everything; where it cannot, the ordinary end tells why.

    Python has none where it was started with a closed descriptor.
    """
    try:
        for stream in filter(None, (sys.stdout, sys.stderr)):
            stream.flush()
    except OSError:
        return False
    return True


if __name__ == "__main__":
    main()

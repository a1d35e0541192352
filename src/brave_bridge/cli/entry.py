"""The program's entry: the screen where no command is named, otherwise the command line.

The screen's path imports as little as it can, so that it paints at once.
"""

import os
import sys

from brave_bridge.cli.names import VARIABLE
from brave_bridge.cli.opening import open_screen
from brave_bridge.cli.table import OF_THE_TARGET
from brave_bridge.machines.loading import loading


def main() -> None:
    """Run ``brave-bridge``."""
    words = sys.argv[1:]
    opens = not words or (len(words) == 2 and words[0] in OF_THE_TARGET)
    if opens and VARIABLE not in os.environ:
        sys.exit(open_screen(tuple(words)))
    with loading():
        from brave_bridge.cli.ready import runner_for

        # First of all: it loads while this process does.
        ready = runner_for(words)
        from brave_bridge.cli.running import run
    sys.exit(run(words, ready))


if __name__ == "__main__":
    main()

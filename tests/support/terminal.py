"""A terminal with the program in it, driven through tmux."""

import os
import re
import sys
import time
from collections.abc import Callable
from pathlib import Path

import libtmux

PROGRAM = f"{sys.executable} -c 'from brave_bridge.cli.entry import main; main()'"


class Terminal:
    """One terminal with the program in it."""

    def __init__(self, server: libtmux.Server, home: Path, words: str, size: tuple[int, int]):
        self.server = server
        environment = {
            "XDG_STATE_HOME": str(home),
            "HOME": str(home),
            "LC_ALL": "C.UTF-8",
            "TERM": "tmux-256color",
            "PATH": os.environ["PATH"],
        }
        command = (
            f"cd {home}; unset COLUMNS LINES; {PROGRAM} {words}; echo left with code $?; sleep 600"
        )
        self.session = server.new_session(
            x=size[0], y=size[1], window_command=f'sh -c "{command}"', environment=environment
        )
        self.pane = self.session.active_window.active_pane

    def screen(self) -> str:
        """What the terminal shows."""
        return "\n".join(self.pane.capture_pane())

    def press(self, *keys: str) -> None:
        """Send keys, by tmux's names for them."""
        for key in keys:
            self.pane.cmd("send-keys", key)
            if key == "Escape":
                time.sleep(0.3)  # a letter that follows at once would be one key with it

    def type(self, text: str) -> None:
        """Type a text."""
        self.pane.cmd("send-keys", "-l", text)

    def wait_for(self, pattern: str, *texts: str, seconds: float = 120) -> str:
        """Wait until one and the same screen matches and has all the texts in it; the screen."""

        def has_all(shown: str) -> bool:
            return bool(re.search(pattern, shown)) and all(text in shown for text in texts)

        return self._look_for(has_all, f"saw {(pattern, *texts)}", seconds)

    def leave_filter(self) -> None:
        """Go from the filter to the list that it leaves; letters are keys again then."""
        self.press("Enter")
        self._look_for(lambda shown: "Enter: to the list" not in shown, "left the filter", 120)

    def go_to_next_field(self, key: str = "Tab") -> None:
        """Go to the next field of a dialog; what is typed then goes into that."""
        row = self._row_at_rest()
        self.press(key)
        self._look_for(lambda shown: self._row() != row, "came to the next field", 120)

    def _row_at_rest(self) -> str:
        """The cursor's row once it stays there: what is painted moves it about."""
        row, seen = self._row(), 0
        while seen < 4:
            time.sleep(0.05)
            now = self._row()
            row, seen = now, seen + 1 if now == row else 0
        return row

    def _row(self) -> str:
        """The row in which the terminal's cursor stands."""
        return self.pane.cmd("display-message", "-p", "#{cursor_y}").stdout[0]

    def _look_for(self, fits: Callable[[str], bool], words: str, seconds: float) -> str:
        deadline = time.monotonic() + seconds
        while time.monotonic() < deadline:
            shown = self.screen()
            if fits(shown):
                return shown
            # Each look is a process of tmux's: oftener, and it is the screen that waits for them.
            time.sleep(0.15)
        size = f"{self.pane.pane_width}x{self.pane.pane_height}"
        raise AssertionError(f"never {words} on {size}:\n{self.screen()}")

    def close(self) -> None:
        """End the terminal as a person closes its window."""
        self.session.kill()

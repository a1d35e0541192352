"""The line in which a person types what the rows that are shown must have in them."""

from textual.app import ComposeResult
from textual.containers import Horizontal
from textual.widgets import Input, Static


class FilterLine(Horizontal):
    """A line for a text. Its hint is there exactly while letters go into it."""

    DEFAULT_CSS = """
    FilterLine { height: 1; padding: 0 1; display: none; background: $panel; }
    FilterLine > Input, FilterLine > Input:focus {
        width: 1fr; height: 1; border: none; padding: 0; background: $panel;
    }
    FilterLine > Static { width: auto; padding: 0 0 0 2; color: $quiet; }
    """

    def compose(self) -> ComposeResult:
        yield Input(placeholder="show only what has this in it")
        yield Static("Enter: to the list   Esc shows all")

    def on_descendant_focus(self) -> None:
        self.query_one(Static).display = True

    def on_descendant_blur(self) -> None:
        self.query_one(Static).display = False

    def open(self) -> None:
        """Show it, and focus it at once: what is typed right after the key goes there."""
        self.display = True
        self.screen.set_focus(self.query_one(Input))

    def clear(self) -> None:
        """Empty it, and show it no more."""
        self.query_one(Input).value = ""
        self.display = False

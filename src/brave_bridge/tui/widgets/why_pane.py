"""The Why pane: what the cursor is on, with evidence and the exact command or file behind it."""

from __future__ import annotations

from itertools import zip_longest
from typing import TYPE_CHECKING

from rich.text import Text
from textual.containers import VerticalScroll
from textual.widgets import Static

from brave_bridge.core.formats.text import plain

if TYPE_CHECKING:
    from brave_bridge.workbench.pages.page import Note


class WhyPane(VerticalScroll, can_focus=False):
    """Explains what is pointed at. ``w`` widens, hides and brings it back."""

    DEFAULT_CSS = """
    WhyPane {
        width: 42; border: round $panel; border-title-color: $quiet; padding: 0 1;
        background: $background; scrollbar-size-vertical: 1; scrollbar-color: $panel;
        scrollbar-background: $background;
    }
    WhyPane.-wide { width: 80; }
    WhyPane.-hidden { display: none; }
    """

    def compose(self):
        yield Static(id="why-text")

    def on_mount(self) -> None:
        self.border_title = "why"

    def explain(self, notes: tuple[Note, ...]) -> None:
        """Show these paragraphs."""
        self.query_one("#why-text", Static).update(self._text(notes))
        self.scroll_home(animate=False)

    def _text(self, notes: tuple[Note, ...]) -> Text:
        variables = self.app.theme_variables
        styles = {
            "title": f"bold {variables['foreground']}",
            "seen": variables["quiet"],
            "text": variables["foreground"],
            "do": variables["primary"],
            "code": variables["secondary"],
        }
        text = Text()
        for note, following in zip_longest(notes, notes[1:]):
            # The blanks of a prefix do not break, so that it never stands alone on a line.
            prefix = {"seen": "seen\u00a0\u00a0", "do": "▸\u00a0"}.get(note.kind, "")
            text.append(prefix + plain(note.text) + "\n", style=styles[note.kind])
            if not (note.kind == "seen" and following and following.kind == "seen"):
                text.append("\n")
        return text

    def cycle(self) -> str:
        """Normal, wide, hidden, and round again; the state's name."""
        if self.has_class("-hidden"):
            self.remove_class("-hidden", "-wide")
            return "normal"
        if self.has_class("-wide"):
            self.add_class("-hidden")
            return "hidden"
        self.add_class("-wide")
        return "wide"

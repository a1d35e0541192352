"""Three versions of a config file: what you changed beside what the new package changes."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Horizontal, VerticalScroll
from textual.screen import Screen
from textual.widgets import Static

from brave_bridge.core.formats.text import plain

if TYPE_CHECKING:
    from brave_bridge.workbench.planning.config_preview import ConfigPreview

_TONES = {"+": "success", "-": "error", "@": "secondary"}


class ConfigScreen(Screen[str | None]):
    """Shows the preview of one question; the answer that was chosen, or None."""

    BINDINGS = [
        ("escape,q", "dismiss(None)", "back"),
        ("m", "dismiss('mine')", "mine stays"),
        ("t", "dismiss('theirs')", "take theirs"),
    ]
    DEFAULT_CSS = """
    ConfigScreen { background: $background; }
    ConfigScreen > Static { height: auto; padding: 0 1; color: $secondary; }
    ConfigScreen VerticalScroll { width: 1fr; padding: 0 1; }
    ConfigScreen #config-theirs { border-left: solid $panel; }
    """

    def __init__(self, preview: ConfigPreview) -> None:
        super().__init__()
        self.preview = preview

    def compose(self) -> ComposeResult:
        shown = self.preview
        yield Static(
            Text(
                f"{plain(shown.path)} · {shown.package} {shown.old} → {shown.new} · "
                "m mine stays, t take theirs, Esc goes back"
            )
        )
        if shown.shipped is not None and shown.theirs is not None:
            yield Static(
                Text(
                    "▲ You and the new version changed the same lines."
                    if shown.meet
                    else "● You and the new version changed different lines."
                )
            )
        for words in shown.why:
            yield Static(Text(f"▲ {words}"))
        known = shown.shipped is not None
        with Horizontal():
            if known:
                with VerticalScroll(id="config-mine"):
                    yield Static(self._side("what you changed", shown.by_you, "nothing"))
            with VerticalScroll(id="config-theirs"):
                words = "what the new version changes" if known else "yours beside the new version"
                yield Static(self._side(words, shown.by_them, "nothing: the same as before"))

    def _side(self, words: str, lines: list[str], nothing: str) -> Text:
        variables = self.app.theme_variables
        text = Text(f"{words}\n\n", style="bold")
        for line in lines or [nothing]:
            tone = _TONES.get(line[:1], "foreground")
            style = variables.get(tone) or getattr(self.app.current_theme, tone, None) or ""
            text.append(f"{line}\n", style=f"not bold {style}".strip())
        return text

    def on_mount(self) -> None:
        self.query(VerticalScroll).first().focus()

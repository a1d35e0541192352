"""The command palette, with a symbol that every font has."""

from textual.command import CommandPalette, SearchIcon


class Palette(CommandPalette):
    """All commands by name."""

    def on_mount(self) -> None:
        self.query_one(SearchIcon).icon = "/"

"""The three one-line widgets of the frame: the head, the Next line and the key line."""

from datetime import datetime

from rich.text import Text
from textual.widgets import Static

from brave_bridge.core.crossing.next_step import NextStep
from brave_bridge.core.formats.text import counted


class HeadLine(Static):
    """The fleet's name, how many machines need the person, and the time."""

    DEFAULT_CSS = "HeadLine { height: 1; padding: 0 1; background: $panel; color: $foreground; }"

    def tell(self, station: str, steps: list[NextStep], crossing: int) -> None:
        """Show the fleet's state."""
        waiting = sum(1 for step in steps if step.urgency == 2)
        resting = len(steps) - waiting - crossing
        words = [counted(len(steps), "machine")]
        words += [f"{waiting} in need of you"] if waiting else []
        words += [f"{crossing} crossing"] if crossing else []
        words += [f"{resting} at rest"] if resting > 0 else []
        clock = datetime.now().strftime("%a %H:%M")
        text = Text.assemble((station, "bold"), "   " + " · ".join(words))
        gap = max(self.size.width - 2 - text.cell_len - len(clock), 1)
        self.update(Text.assemble(text, " " * gap, clock))


class NextLine(Static):
    """The one sensible next step, and why; ``n`` does it."""

    DEFAULT_CSS = """
    NextLine { height: 1; padding: 0 1; background: $surface; color: $foreground; }
    """

    def tell(self, step: NextStep) -> None:
        """Show a step."""
        brass = self.app.theme_variables["primary"]
        self.update(
            Text.assemble(("Next ▸ ", f"bold {brass}"), step.words, ("  (n)", brass),
                          no_wrap=True, overflow="ellipsis")
        )  # fmt: skip

    def on_click(self) -> None:
        self.app.run_action("next_step")


class KeyLine(Static):
    """The workspaces on their number keys, and the keys of this place."""

    DEFAULT_CSS = "KeyLine { height: 2; padding: 0 1; background: $panel; color: $quiet; }"
    auto_links = False
    _told: tuple = ((), "", ())

    def tell(self, workspaces, current: str, hints) -> None:
        """Show the keys, the current workspace in brass."""
        self._told = (workspaces, current, hints)
        brass = self.app.theme_variables["primary"]
        tabs = self._tabs(workspaces, current, brass, brief=False)
        if tabs.cell_len > self.size.width:
            tabs = self._tabs(workspaces, current, brass, brief=True)
        keys = Text()
        for key, words in (*hints, ("[ ]", "machine"), ("w", "why"), ("?", "keys"), ("q", "leave")):
            keys.append(f"{key} ", style=brass)
            keys.append(f"{words}   ")
        self.update(Text("\n", no_wrap=True, overflow="ellipsis").join([tabs, keys]))

    @staticmethod
    def _tabs(workspaces, current: str, brass: str, *, brief: bool) -> Text:
        """Number and name of each workspace; when brief, only the current one's name."""
        tabs = Text()
        for key, name, words in workspaces:
            here = name == current
            piece = Text(key if brief and not here else f"{key} {words}")
            piece.stylize(f"bold {brass}" if here else "")
            piece.apply_meta({"@click": f"app.go('{name}')"})
            tabs.append_text(piece)
            tabs.append("  ")
        return tabs

    def on_resize(self) -> None:
        self.tell(*self._told)

"""The three one-line widgets of the frame: the head, the Next line and the key line."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING

from rich.text import Text
from textual.widgets import Static

from brave_bridge.core.formats.text import counted

if TYPE_CHECKING:
    from brave_bridge.workbench.outlook.next_step import NextStep


class _Line(Static):
    """A line that is only drawn again when it changes: a thin link need not carry it twice."""

    _shown: Text | None = None

    def show(self, text: Text) -> None:
        """Show a text."""
        if self._shown is None or (text.plain, text.spans) != (
            self._shown.plain,
            self._shown.spans,
        ):
            self._shown = text
            self.update(text)


class HeadLine(_Line):
    """The fleet's name, how many machines need the person, and the time."""

    DEFAULT_CSS = "HeadLine { height: 1; padding: 0 1; background: $panel; color: $foreground; }"

    def tell(self, station: str, machines: list[tuple[NextStep, bool]]) -> None:
        """Show the fleet's state: of each machine its next step, and whether it is crossing."""
        waiting = sum(1 for step, _ in machines if step.urgency == 2)
        crossing = sum(1 for _, under_way in machines if under_way)
        resting = sum(1 for step, under_way in machines if step.urgency < 2 and not under_way)
        words = [counted(len(machines), "machine")]
        words += [f"{waiting} in need of you"] if waiting else []
        words += [f"{crossing} under way"] if crossing else []
        words += [f"{resting} at rest"] if resting > 0 else []
        clock = datetime.now().strftime("%a %H:%M")
        text = Text.assemble((station, "bold"), "   " + " · ".join(words))
        gap = max(self.size.width - 2 - text.cell_len - len(clock), 1)
        self.show(Text.assemble(text, " " * gap, clock))


class NextLine(_Line):
    """The one sensible next step, and why; ``n`` does it."""

    DEFAULT_CSS = """
    NextLine { height: 1; padding: 0 1; background: $surface; color: $foreground; }
    """

    def tell(self, step: NextStep) -> None:
        """Show a step."""
        brass = self.app.theme_variables["primary"]
        self.show(
            Text.assemble(
                ("Next ▸ ", f"bold {brass}"),
                step.words,
                ("  (n)", brass),
                no_wrap=True,
                overflow="ellipsis",
            )
        )

    async def on_click(self) -> None:
        """Do the next step."""
        await self.app.run_action("next_step")


class KeyLine(_Line):
    """The workspaces on their number keys, and the keys of this place."""

    DEFAULT_CSS = "KeyLine { height: 2; padding: 0 1; background: $panel; color: $quiet; }"
    auto_links = False
    _told: tuple = ((), "", ())

    def on_mount(self) -> None:
        self.app.theme_changed_signal.subscribe(self, lambda _: self.tell(*self._told))

    def tell(self, workspaces, current: str, hints) -> None:
        """Show the keys, the current workspace in brass."""
        self._told = (workspaces, current, hints)
        brass = self.app.theme_variables["primary"]
        looks = (("  ", False), (" ", False), ("  ", True))
        for gap, brief in looks:
            tabs = self._tabs(workspaces, current, brass, gap, brief=brief)
            if tabs.cell_len <= self.size.width:
                break
        keys = self._keys((*hints, ("[ ]", "machine"), ("w", "why")), brass, self.size.width - 2)
        self.show(Text("\n", no_wrap=True, overflow="ellipsis").join([tabs, keys]))

    @staticmethod
    def _keys(hints, brass: str, width: int) -> Text:
        """The keys that there is room for; where others are left out, how many and where."""

        def line(shown, left: int) -> Text:
            more = (("?", f"keys: {left} more" if left else "keys"), ("q", "leave"))
            pieces = (((f"{key} ", brass), f"{words}   ") for key, words in (*shown, *more))
            return Text.assemble(*(part for piece in pieces for part in piece))

        fitting = (line(hints[:count], len(hints) - count) for count in range(len(hints), 0, -1))
        return next((text for text in fitting if text.cell_len - 3 <= width), line((), len(hints)))

    @staticmethod
    def _tabs(workspaces, current: str, brass: str, gap: str, *, brief: bool) -> Text:
        """Number and name of each workspace; when brief, only the current one's name."""
        tabs = Text()
        for key, name, words in workspaces:
            here = name == current
            piece = Text(key if brief and not here else f"{key} {words}")
            piece.stylize(f"bold {brass}" if here else "")
            piece.apply_meta({"@click": f"app.go('{name}')"})
            tabs.append_text(piece)
            tabs.append(gap)
        return tabs

    def on_resize(self) -> None:
        self.tell(*self._told)

"""Crossing: how far is it, is it well?"""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding
from textual.widgets import Static

from brave_bridge.tui.widgets.ledger import Ledger
from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.workbench.pages.crossing import Progress
    from brave_bridge.workbench.pages.page import Page

_BAR = 40


class CrossingWorkspace(Workspace):
    """The steps, the present one's progress, its newest output, warnings and questions."""

    KEY, NAME, WORDS = "5", "crossing", "Crossing"
    BINDINGS = [
        Binding("a", "app.answer(0)", "answer yes"),
        Binding("u", "app.answer(1)", "answer no"),
        Binding("r", "app.rest", "rest"),
        Binding("g", "app.go_on", "go on"),
    ]
    DEFAULT_CSS = """
    CrossingWorkspace > .progress { height: auto; max-height: 3; padding: 0 1; }
    CrossingWorkspace > .question {
        height: auto; max-height: 60%; padding: 0 1; display: none; border: round $warning;
        margin: 0 1; overflow-y: auto;
    }
    CrossingWorkspace > .question.-shown { display: block; }
    CrossingWorkspace > .output {
        height: 8; padding: 0 1; color: $secondary; border-top: solid $panel;
    }
    """

    def compose(self) -> ComposeResult:
        yield Static(classes="summary")
        yield Static(classes="progress")
        yield Static(classes="question")
        yield Ledger()
        yield Static(classes="output")

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.crossing import crossing_page

        return crossing_page(record)

    def show(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.crossing import progress_of

        legs = max(len(record.bridge.titles) - 1, 1)
        if record.live is None:
            self._tell(None)
        else:
            self._tell(progress_of(record.live, legs))
        return super().show(record, harbour)

    def start_filter(self) -> None:
        """The steps are few: there is nothing to filter."""

    def _tell(self, progress: Progress | None) -> None:
        bar, question, output = (
            self.query_one(f".{name}", Static) for name in ("progress", "question", "output")
        )
        question.set_class(progress is not None and progress.question is not None, "-shown")
        if progress is None:
            bar.update("")
            output.update("")
            return
        bar.update(self._bar(progress))
        output.update(self._output(progress))
        if progress.question:
            question.update(self._question(*progress.question))

    def _bar(self, progress: Progress) -> Text:
        variables = self.app.theme_variables
        brass, quiet = variables["primary"], variables["quiet"]
        whole = progress.done + (progress.percent / 100 if progress.done < progress.total else 0)
        filled = round(_BAR * min(whole / max(progress.total, 1), 1.0))
        if progress.state == "done":
            filled = _BAR
        text = Text()
        text.append("━" * filled, style=brass)
        text.append("┈" * (_BAR - filled), style=quiet)
        text.append(f"  {progress.done} of {progress.total} steps   {progress.left}\n", style=quiet)
        text.append(progress.words, style=f"bold {variables['foreground']}")
        return text

    def _question(self, title: str, detail: str, choices: tuple[str, ...]) -> Text:
        variables = self.app.theme_variables
        text = Text()
        text.append(f"? {title}   ", style=f"bold {variables['warning']}")
        for key, choice in zip(("a", "u"), choices, strict=False):
            text.append(f"{key} ", style=f"bold {variables['primary']}")
            text.append(f"{choice}   ")
        text.append("\n")
        for line in detail.splitlines():
            tone = {"+": variables["success"], "-": variables["error"]}.get(line[:1], "")
            text.append(line + "\n", style=tone or variables["foreground"])
        return text

    def _output(self, progress: Progress) -> Text:
        text = Text(no_wrap=True, overflow="ellipsis")
        for line in progress.warnings[-3:]:
            text.append(f"▲ {line}\n", style=self.app.theme_variables["warning"])
        room = 7 - len(progress.warnings[-3:])
        text.append("\n".join(progress.output[-room:]))
        return text

"""Dialogs in which one of several lines is pointed at: an answer, a policy, a kernel."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical
from textual.events import Click
from textual.widgets import Static

from brave_bridge.tui.dialogs import Dialog

if TYPE_CHECKING:
    from brave_bridge.core.packages.choices import PlanChoice
    from brave_bridge.workbench.boot.offered_kernels import OfferedKernel
    from brave_bridge.workbench.kept.policies import Policy


MOST_LINES = 16
"""How many lines are shown at a time."""


class PointAtOne(Dialog):
    """Lines of which one is pointed at by the arrows or the mouse."""

    BINDINGS = [
        ("escape", "dismiss(None)", "back"),
        ("up", "point(-1)", "up"),
        ("down", "point(1)", "down"),
    ]
    DEFAULT_CSS = "PointAtOne > Vertical { width: 84; }"

    heading = ""
    told = ""
    keys = ""
    pointer = ("▸ ", "  ")
    """What stands before the line pointed at, and before the others."""

    def __init__(self) -> None:
        super().__init__()
        self.at = 0

    def lines(self) -> list[str]:
        """What is shown, a line for each."""
        raise NotImplementedError

    def compose(self) -> ComposeResult:
        with Vertical() as box:
            box.border_title = self.heading
            if self.told:
                yield Static(Text(self.told))
            yield Static(id="lines")
            yield Static(Text(self.keys, style=self.app.theme_variables["quiet"]))

    def on_mount(self) -> None:
        self.show()

    def show(self) -> None:
        """Draw the lines."""
        pointed = f"bold {self.app.theme_variables['primary']}"
        here, elsewhere = self.pointer
        lines = [
            Text(here + line, pointed)
            if number == self.at
            else Text(elsewhere + line, self.app.theme_variables[self.tone_of(number)])
            for number, line in enumerate(self.lines())
            if 0 <= number - self.first < MOST_LINES
        ]
        self.query_one("#lines", Static).update(Text("\n").join(lines))

    def tone_of(self, number: int) -> str:
        """The theme's variable for a line that is not pointed at."""
        return "foreground"

    @property
    def first(self) -> int:
        """The first line that is shown, where there are more than fit."""
        return max(0, min(self.at - MOST_LINES // 2, len(self.lines()) - MOST_LINES))

    def action_point(self, by: int) -> None:
        """Point at the next line or the one before."""
        self.at = min(max(self.at + by, 0), max(len(self.lines()) - 1, 0))
        self.show()

    def on_click(self, event: Click) -> None:
        if event.widget is not None and event.widget.id == "lines":
            row = event.y + self.first
            if 0 <= row < len(self.lines()):
                self.at = row
                self.show()
                self.chosen()

    def chosen(self) -> None:
        """What a click on a line does; the line is pointed at already."""


class ChooseAnswer(PointAtOne):
    """The answers to a question of a plan: the chosen one, or None."""

    BINDINGS = [("enter", "take", "take it")]
    keys = "Enter answers and plans again, Esc goes back."

    def __init__(self, choice: PlanChoice) -> None:
        super().__init__()
        from brave_bridge.core.formats.text import plain

        self.choice = choice
        self.heading = plain(choice.subject.partition(" ")[0], 60)
        self.told = plain(choice.about)
        self.at = [option.answer for option in choice.options].index(choice.answer)

    def lines(self) -> list[str]:
        from brave_bridge.core.formats.text import plain

        default = self.choice.default
        return [
            plain(option.words) + (" (the default)" if option.answer == default else "")
            for option in self.choice.options
        ]

    def chosen(self) -> None:
        self.action_take()

    def action_take(self) -> None:
        """Give the answer back; None where it is the present one."""
        answer = self.choice.options[self.at].answer
        self.dismiss(answer if answer != self.choice.answer else None)


class PolicyList(PointAtOne):
    """The policies of a fleet; the key of one to let go, or None."""

    BINDINGS = [("d,delete", "forget", "let it go")]
    heading = "What holds for every machine"
    keys = "d lets one go, Esc goes back. Plans that are made from now on heed it."

    def __init__(self, policies: list[Policy]) -> None:
        super().__init__()
        self.policies = policies

    def lines(self) -> list[str]:
        from brave_bridge.core.formats.text import plain

        if not self.policies:
            return ["Nothing yet: k on the Plan keeps an answer or a preference for every machine."]
        return [f"{plain(policy.subject)}: {policy.words}" for policy in self.policies]

    def action_forget(self) -> None:
        """Let the policy pointed at go."""
        if self.policies:
            self.dismiss(self.policies[self.at].key)


class ChooseKernel(PointAtOne):
    """The kernels that the sources have and that are not installed: one of them, or None."""

    BINDINGS = [("enter", "take", "install it")]
    heading = "Add a kernel"
    told = "It comes beside those that are here; nothing boots it before you say so."
    keys = "Enter makes a way back and installs it, Esc goes back."

    def __init__(self, offered: tuple[OfferedKernel, ...]) -> None:
        super().__init__()
        self.offered = offered

    def lines(self) -> list[str]:
        from brave_bridge.core.formats.text import byte_size, plain

        return [
            f"{plain(one.kernel):<32} {plain(one.version):<18} {byte_size(one.download_bytes)}"
            for one in self.offered
        ]

    def chosen(self) -> None:
        self.action_take()

    def action_take(self) -> None:
        """Give the kernel that is pointed at back."""
        self.dismiss(self.offered[self.at])


class ChooseTree(PointAtOne):
    """The sources of kernels on the machine: the folder of one, or None."""

    BINDINGS = [("enter", "take", "configure it")]
    heading = "Build a kernel here"
    told = (
        "The running kernel's configuration is carried over and completed by the tree's own make. "
        "What the machine uses must be in it. You are asked again before anything is built."
    )
    keys = "Enter configures it, Esc goes back."

    def __init__(self, trees: list[str]) -> None:
        super().__init__()
        self.trees = trees
        self.at = len(trees) - 1

    def lines(self) -> list[str]:
        from brave_bridge.core.formats.text import plain

        return [plain(tree) for tree in self.trees]

    def chosen(self) -> None:
        self.action_take()

    def action_take(self) -> None:
        """Give the folder that is pointed at back."""
        self.dismiss(self.trees[self.at])

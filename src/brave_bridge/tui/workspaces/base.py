"""What all workspaces share: a summary line, a ledger, and a filter."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar

from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.widgets import Input, Static

from brave_bridge.tui.widgets.ledger import Ledger

if TYPE_CHECKING:
    from brave_bridge.tui.harbour import Harbour
    from brave_bridge.workbench.pages.page import Page
    from brave_bridge.workbench.record import MachineRecord


class Workspace(Vertical):
    """One place of work. A subclass says which page it shows and which keys it adds."""

    KEY: ClassVar[str]
    NAME: ClassVar[str]
    WORDS: ClassVar[str]
    BINDINGS = [Binding("escape", "clear_filter", show=False)]
    DEFAULT_CSS = """
    Workspace { background: $background; }
    Workspace > .summary { height: 1; padding: 0 1; color: $secondary; }
    Workspace > Ledger { height: 1fr; margin: 0 0 0 1; }
    Workspace > Input { padding: 0 1; display: none; background: $panel; }
    Workspace > Input, Workspace > Input:focus { height: 1; border: none; }
    """

    def __init__(self) -> None:
        super().__init__(id=f"workspace-{self.NAME}")

    def compose(self) -> ComposeResult:
        yield Static(classes="summary")
        yield Ledger()
        yield Input(placeholder="show only what has this in it; Esc shows all")

    @property
    def ledger(self) -> Ledger:
        """The workspace's table."""
        return self.query_one(Ledger)

    def page(self, record: MachineRecord, harbour: Harbour) -> Page:
        """The page of a machine."""
        raise NotImplementedError

    def show(self, record: MachineRecord, harbour: Harbour) -> Page:
        """Lay the page out; the page."""
        page = self.page(record, harbour)
        self.query_one(".summary", Static).update(page.summary.replace("[", "\\["))
        self.ledger.show(page)
        return page

    def start_filter(self) -> None:
        """Open the filter line."""
        line = self.query_one(Input)
        # Shown and focused at once, so that what is typed right after the key goes there.
        line.display = True
        self.screen.set_focus(line)

    def on_input_changed(self, event: Input.Changed) -> None:
        # In the ledger's own turn: what it then posts goes all the way up.
        self.ledger.call_later(self.ledger.filter, event.value)

    def on_input_submitted(self) -> None:
        self.screen.set_focus(self.ledger)

    def action_clear_filter(self) -> None:
        for line in self.query(Input):
            line.value = ""
            line.display = False
        self.screen.set_focus(self.ledger)

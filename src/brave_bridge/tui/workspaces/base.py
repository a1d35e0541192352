"""What all workspaces share: a summary line, a ledger, a filter, and how their actions are done."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.widgets import Input, Static

from brave_bridge.tui.actions import Action
from brave_bridge.tui.widgets.filter_line import FilterLine
from brave_bridge.tui.widgets.ledger import Ledger
from brave_bridge.tui.widgets.picture import Picture

if TYPE_CHECKING:
    from brave_bridge.drawings.chart import Chart
    from brave_bridge.tui.doing import Deed
    from brave_bridge.tui.frame import Frame
    from brave_bridge.tui.harbour import Harbour
    from brave_bridge.workbench.desk import Desk
    from brave_bridge.workbench.pages.page import Page, Row
    from brave_bridge.workbench.record import MachineRecord


class Workspace(Vertical):
    """One place of work. A subclass says which page it shows and which actions are its own.

    ``ACTIONS`` feeds its keys, the key line, the help and the list of all actions. ``CHOSEN``
    names, for each action of a row, the method that is handed the row; ``ENTER`` says what
    choosing a row does.
    """

    KEY: ClassVar[str]
    NAME: ClassVar[str]
    WORDS: ClassVar[str]
    ACTIONS: ClassVar[tuple[Action, ...]] = ()
    CHOSEN: ClassVar[dict[str, str]] = {}
    ENTER: ClassVar[str] = ""
    CAN_FILTER: ClassVar[bool] = True
    BINDINGS = [
        Binding("escape", "clear_filter", show=False),
        Binding("shift+down", "lane(1)", show=False),
        Binding("shift+up", "lane(-1)", show=False),
    ]
    DEFAULT_CSS = """
    Workspace { background: $background; }
    Workspace > .summary { height: 1; padding: 0 1; color: $secondary; }
    Workspace > Ledger { height: 1fr; margin: 0 0 0 1; }
    """

    if TYPE_CHECKING:
        app: Frame

    def __init_subclass__(cls, **options: Any) -> None:
        cls.BINDINGS = [action.binding for action in cls.ACTIONS]
        super().__init_subclass__(**options)

    def __init__(self) -> None:
        super().__init__(id=f"workspace-{self.NAME}")
        self._picture_of: Chart | None = None

    def compose(self) -> ComposeResult:
        yield Static(classes="summary")
        yield Picture()
        yield Ledger()
        yield FilterLine()

    @property
    def ledger(self) -> Ledger:
        """The workspace's table."""
        return self.query_one(Ledger)

    @property
    def picture(self) -> Picture:
        """The picture above it."""
        return self.query_one(Picture)

    @property
    def room(self) -> int:
        """The rows that picture and list share."""
        return self.size.height

    @property
    def record(self) -> MachineRecord | None:
        """The machine that is on show, as it was read last."""
        return self.app.harbour.record()

    def page(self, record: MachineRecord, harbour: Harbour) -> Page:
        """The page of a machine."""
        raise NotImplementedError

    def show(self, record: MachineRecord, harbour: Harbour) -> None:
        """Lay the page of a machine out."""
        self.show_page(self.page(record, harbour))

    def show_page(self, page: Page) -> None:
        """Lay a page out: its summary, its picture and its list."""
        self.query_one(".summary", Static).update(page.summary.replace("[", "\\["))
        self._picture_of = page.picture
        self.picture.show(page.picture, self.room)
        self.ledger.show(page)

    def follow(self, machine: str) -> None:
        """Another machine is on show; where machines are listed, the cursor goes along."""

    def keys(self, record: MachineRecord | None) -> Iterable[tuple[str, str]]:
        """The keys that do something on a machine, each with what it does."""
        if self.ENTER:
            yield "Enter", self.ENTER
        yield from ((one.label, one.words) for one in self.ACTIONS if one.when(record))

    def export_here(self, desk: Desk, record: MachineRecord) -> list[Path]:
        """Write it to files in a folder of their own below the present one. For a thread."""
        from brave_bridge.workbench.papers.folder import papers_folder

        return self.export(desk, record, papers_folder())

    def export(self, desk: Desk, record: MachineRecord, folder: Path) -> list[Path]:
        """Write what this view shows to files in a folder. For a thread."""
        from brave_bridge.workbench.papers.drawing import PAGES, draw_view

        name = self.NAME.replace("_", "-")
        drawn = draw_view(name, record, folder) if name in PAGES else []
        return drawn or draw_view("bridge", record, folder)

    # Doing

    def do(
        self, machine: str, words: str, deed: Deed, then: Callable[[Any], None] | None = None
    ) -> None:
        """Do something at a machine's desk; see Doing."""
        self.app.doing.do(machine, words, deed, then)

    def set_going(self, machine: str, words: str, deed: Deed) -> None:
        """Do something that is carried out by a runner, and go where it is watched."""
        self.app.go_to("crossing")
        self.do(machine, words, deed)

    def warn(self, words: str) -> None:
        """Say why a key does nothing now."""
        self.notify(words, severity="warning")

    # Picture and list

    def on_resize(self) -> None:
        self.picture.show(self._picture_of, self.room)

    def on_ledger_pointed(self, event: Ledger.Pointed) -> None:
        """The lane of the row that is pointed at is the one that is seen."""
        self.picture.pointed = event.row.key if event.row is not None else ""

    def on_picture_led(self, event: Picture.Led) -> None:
        """A click on a lane leads to its row."""
        event.stop()
        self.ledger.point_at(event.key)
        self.screen.set_focus(self.ledger)

    def action_lane(self, step: int) -> None:
        """Go to the row of the next lane of the picture, or of the one before."""
        if key := self.picture.lane_beside(step):
            self.ledger.point_at(key)

    def on_ledger_chosen(self, event: Ledger.Chosen) -> None:
        """Do what a row stands for."""
        event.stop()
        known = {"fold": "toggle_fold", "task": "toggle_task", **self.CHOSEN}
        getattr(self, known[event.row.action])(event.row)

    def toggle_fold(self, row: Row) -> None:
        """Show or hide what is behind a fold."""
        self.app.harbour.toggle_fold(row.key)
        self.app.show_current()

    def toggle_task(self, row: Row) -> None:
        """Say that a task of a leg is done, or not yet."""
        task, record = row.of.key, self.record
        if record is not None:
            self.do(record.name, "noting it", lambda desk: _toggle_task(desk, task))

    # The filter

    def start_filter(self) -> None:
        """Open the filter line."""
        if not self.CAN_FILTER:
            self.warn("The steps are few: there is nothing to filter.")
            return
        self.query_one(FilterLine).open()

    def on_input_changed(self, event: Input.Changed) -> None:
        # In the ledger's own turn: what it then posts goes all the way up.
        self.ledger.call_later(self.ledger.filter, event.value)

    def on_input_submitted(self) -> None:
        self.screen.set_focus(self.ledger)

    def action_clear_filter(self) -> None:
        for line in self.query(FilterLine):
            line.clear()
        self.screen.set_focus(self.ledger)


def _toggle_task(desk: Desk, task: str) -> None:
    from brave_bridge.workbench.decisions import toggle_task

    desk.must_read_records()
    toggle_task(desk.machine, task)

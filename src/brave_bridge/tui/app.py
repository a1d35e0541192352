"""The application: the frame around the workspaces, and what its keys lead to."""

from __future__ import annotations

import gc
from collections.abc import Iterable
from functools import partial
from time import monotonic
from typing import TYPE_CHECKING

from textual import work
from textual.app import ComposeResult, SystemCommand
from textual.binding import Binding
from textual.containers import Horizontal
from textual.reactive import reactive
from textual.screen import Screen
from textual.widgets import ContentSwitcher

from brave_bridge.tui.actions import EVERYWHERE
from brave_bridge.tui.dialogs import KeyList
from brave_bridge.tui.doing import Doing
from brave_bridge.tui.frame import Frame
from brave_bridge.tui.harbour import Harbour
from brave_bridge.tui.theme import THEMES
from brave_bridge.tui.widgets.bridge_strip import BridgeStrip
from brave_bridge.tui.widgets.ledger import Ledger
from brave_bridge.tui.widgets.lines import HeadLine, KeyLine, NextLine
from brave_bridge.tui.widgets.why_pane import WhyPane
from brave_bridge.tui.workspaces.all import TABS, WORKSPACES
from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.workbench.record import MachineRecord

_POLL_SECONDS = 0.5
_SHOW_SECONDS = 0.4
_MANY = 20
_NARROW = 110


class BraveBridge(Frame):
    """The screen. Closing it ends nothing that is under way."""

    TITLE = "Brave Bridge"
    ENABLE_COMMAND_PALETTE = True
    CSS = """
    #middle { height: 1fr; }
    ContentSwitcher { width: 1fr; height: 1fr; }
    """
    BINDINGS = [
        *(Binding(key, f"go('{name}')", words, show=False) for key, name, words in TABS),
        *(action.binding for action in EVERYWHERE),
    ]

    place: reactive[str] = reactive("fleet", init=False)

    def __init__(
        self, words: tuple[str, ...] = (), *, demo: bool = False, fresh: bool = False
    ) -> None:
        super().__init__()
        for theme in THEMES:
            self.register_theme(theme)
        self.theme = THEMES[0].name
        self.harbour = Harbour(words, demo=demo)
        self.doing = Doing(self)
        self.fresh = fresh
        self.farewell = ""
        self._watching = False
        self._wanted = ""
        if words:
            self.set_reactive(BraveBridge.place, "survey")

    def compose(self) -> ComposeResult:
        yield HeadLine()
        yield BridgeStrip()
        with Horizontal(id="middle"):
            # Only the first workspace, so that it paints at once; the others follow.
            with ContentSwitcher(initial=f"workspace-{self.place}"):
                yield next(workspace for workspace in WORKSPACES if self.place == workspace.NAME)()
            yield WhyPane()
        yield NextLine()
        yield KeyLine()

    def on_mount(self) -> None:
        self.query_one(WhyPane).set_class(self.size.width < _NARROW, "-hidden")
        self.query_one(KeyLine).tell(TABS, self.place, ())
        self.theme_changed_signal.subscribe(self, lambda _: self._show_in_new_look())
        self.call_after_refresh(self._load)

    async def _furnish(self, names: list[str]) -> None:
        """Put up the workspaces that are not on show, then read the machines."""
        others = [workspace() for workspace in WORKSPACES if self.place != workspace.NAME]
        for workspace in others:
            workspace.display = False
        await self.query_one(ContentSwitcher).mount(*others)
        self.place = self._wanted or self.place
        self.read_machines(names)
        self.set_interval(_POLL_SECONDS, self._poll)

    @work(thread=True, group="load")
    def _load(self) -> None:
        from brave_bridge.machines.port import MachineError

        self.call_from_thread(self.tell_busy, "reading the fleet …")
        try:
            names = self.harbour.load(
                fresh=self.fresh,
                tell=lambda name: self.call_from_thread(self._show_building, name),
            )
        except (MachineError, OSError) as error:
            remedy = getattr(error, "remedy", "")
            self.farewell = f"brave-bridge: {error}" + (f"\n  {remedy}" if remedy else "")
            self.call_from_thread(self.exit, 2)
            return
        self.call_from_thread(self.tell_busy, "")
        self.call_from_thread(self.show_current)
        # Once the names are painted: on a large fleet they are on the screen before all else.
        self.call_from_thread(self.call_after_refresh, self._furnish, names)

    def _show_building(self, name: str) -> None:
        """Say in the middle what is built for the demo, what comes, and what it is for."""
        from brave_bridge.workbench.pages.first_use import building_page

        self.tell_busy(f"building {name} …")
        self.workspace.show_page(building_page(name))

    @work(thread=True, group="read")
    def read_machines(self, names: list[str]) -> None:
        read, shown = [], monotonic()
        for name in names:
            read.append(self.harbour.read(name))
            if monotonic() - shown > _SHOW_SECONDS or len(names) < _MANY or name == names[-1]:
                self.call_from_thread(self._take_over, read)
                # What was read stays: sparing it from collection keeps keys from waiting for that.
                gc.collect()
                gc.freeze()
                read, shown = [], monotonic()

    def _take_over(self, records: list[MachineRecord]) -> None:
        for record in records:
            self.harbour.keep(record)
        turned = not self.is_touched and self.harbour.turn_to_who_waits()
        self.show_current()
        if turned:
            self.workspace.follow(self.harbour.current)

    def _poll(self) -> None:
        """Watch procedures that are under way, one look after the other."""
        names = [r.name for r in self.harbour.records() if r.live is not None and r.live.is_open]
        if names and not self._watching:
            self._watching = True
            self._watch_live(names)
        self._tell_head()

    @work(thread=True, group="poll")
    def _watch_live(self, names: list[str]) -> None:
        try:
            for name in names:
                record = self.harbour.read_live(name)
                is_open = record.live is not None and record.live.is_open
                read = record if is_open else self.harbour.read(name)
                self.call_from_thread(self._take_over, [read])
        finally:
            self._watching = False

    @property
    def workspace(self) -> Workspace:
        return self.query_one(f"#workspace-{self.place}", Workspace)

    def show_current(self) -> None:
        record = self.harbour.record()
        if record is None:
            return
        self.query_one(BridgeStrip).tell(record)
        self.workspace.show(record, self.harbour)
        self.query_one(NextLine).tell(record.next)
        self.query_one(KeyLine).tell(TABS, self.place, tuple(self.workspace.keys(record)))
        self._tell_head()

    def _tell_head(self) -> None:
        machines = [(r.next, bool(r.live and r.live.is_open)) for r in self.harbour.records()]
        self.query_one(HeadLine).tell(self.harbour.station, machines)

    def tell_busy(self, words: str) -> None:
        """Say what is under way in the foreground, in the bridge strip's lower edge."""
        self.query_one(BridgeStrip).tell(self.harbour.record(), words)

    def validate_place(self, place: str) -> str:
        """A place that is not put up yet is gone to when it is."""
        self._wanted = place
        return place if self.query(f"#workspace-{place}") else self.place

    def watch_place(self, place: str) -> None:
        self.query_one(ContentSwitcher).current = f"workspace-{place}"
        self.show_current()
        self.workspace.follow(self.harbour.current)
        self.screen.set_focus(self.workspace.ledger)
        self.query_one(WhyPane).explain(self.workspace.ledger.explanation)

    def on_ready(self) -> None:
        self.workspace.ledger.focus()

    def on_ledger_pointed(self, event: Ledger.Pointed) -> None:
        if event.row is None or event.row is self.workspace.ledger.pointed:
            self.query_one(WhyPane).explain(self.workspace.ledger.explanation)
        if self.place == "fleet" and event.row is not None:
            self.harbour.current = event.row.key
            record = self.harbour.record()
            self.query_one(BridgeStrip).tell(record)
            if record is not None:
                self.query_one(NextLine).tell(record.next)

    def go_to(self, place: str) -> None:
        self.place = place

    action_go = go_to

    def action_machine(self, by: int) -> None:
        self.harbour.step(by)
        self.show_current()
        self.workspace.follow(self.harbour.current)

    def action_next_step(self) -> None:
        """Do the next step, or open the place where it is done."""
        record = self.harbour.record()
        if record is None:
            return
        step = record.next
        if step.action != "show":
            self.do_at(step.workspace, step.action)
        elif self.place == step.workspace:
            self.notify(step.words, title="You are where this is seen")
        else:
            self.place = step.workspace

    def do_at(self, place: str, action: str) -> None:
        self.place = place
        self.call_later(self.workspace.run_action, action)

    def action_filter(self) -> None:
        self.workspace.start_filter()

    def action_why(self) -> None:
        self.query_one(WhyPane).cycle()

    def action_look(self) -> None:
        names = [theme.name for theme in THEMES]
        self.theme = names[(names.index(self.theme) + 1) % len(names)]

    def _show_in_new_look(self) -> None:
        """What holds colours of its own is told anew, once those of the look are there."""
        self.show_current()
        self.query_one(WhyPane).explain(self.workspace.ledger.explanation)

    def action_keys(self) -> None:
        self.push_screen(
            KeyList(self.workspace.WORDS, tuple(self.workspace.keys(self.harbour.record())))
        )

    def action_command_palette(self) -> None:
        """Open the list of all actions."""
        from brave_bridge.tui.palette import Palette

        if not Palette.is_open(self):
            self.push_screen(Palette(id="--command-palette"))

    def action_export(self) -> None:
        """Write what this view shows to files, in a folder of their own below the present one."""
        record, workspace = self.harbour.record(), self.workspace
        if record is not None:
            self.doing.do(
                record.name,
                "exporting",
                lambda desk: workspace.export_here(desk, record),
                lambda paths: self.notify("\n".join(map(str, paths)), title="written"),
            )

    def action_leave(self) -> None:
        open_names = [r.name for r in self.harbour.records() if r.live and r.live.is_open]
        if open_names:
            self.farewell = (
                f"Still under way without the screen: {', '.join(open_names)}. "
                "Open Brave Bridge again to watch."
            )
        self.exit(0)

    def get_system_commands(self, screen: Screen) -> Iterable[SystemCommand]:
        """Every action by name, for Ctrl+P."""
        for key, name, words in TABS:
            yield SystemCommand(
                words, f"Open this workspace ({key})", partial(self.action_go, name)
            )
        for action in EVERYWHERE:
            yield SystemCommand(action.title, action.help, partial(self.run_action, action.name))
        for workspace in WORKSPACES:
            for action in workspace.ACTIONS:
                title = f"{workspace.WORDS}: {action.words}"
                begin = partial(self.do_at, workspace.NAME, action.name)
                yield SystemCommand(title, action.help, begin)

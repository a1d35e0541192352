"""The application: the frame around the workspaces, and what its keys lead to."""

from __future__ import annotations

import gc
from collections.abc import Iterable
from time import monotonic
from typing import TYPE_CHECKING

from textual import work
from textual.app import App, ComposeResult, SystemCommand
from textual.binding import Binding
from textual.containers import Horizontal
from textual.reactive import reactive
from textual.screen import Screen
from textual.widgets import ContentSwitcher

from brave_bridge.tui.actions import ACTIONS
from brave_bridge.tui.deeds import Deeds
from brave_bridge.tui.dialogs import KeyList
from brave_bridge.tui.harbour import Harbour
from brave_bridge.tui.plan_deeds import PlanDeeds
from brave_bridge.tui.ready_deeds import ReadyDeeds
from brave_bridge.tui.theme import THEMES
from brave_bridge.tui.way_back_deeds import WayBackDeeds
from brave_bridge.tui.widgets.bridge_strip import BridgeStrip
from brave_bridge.tui.widgets.ledger import Ledger
from brave_bridge.tui.widgets.lines import HeadLine, KeyLine, NextLine
from brave_bridge.tui.widgets.why_pane import WhyPane
from brave_bridge.tui.workspaces.base import Workspace
from brave_bridge.tui.workspaces.configs import ConfigsWorkspace
from brave_bridge.tui.workspaces.crossing import CrossingWorkspace
from brave_bridge.tui.workspaces.fleet import FleetWorkspace
from brave_bridge.tui.workspaces.kernels import KernelsWorkspace
from brave_bridge.tui.workspaces.logbook import LogbookWorkspace
from brave_bridge.tui.workspaces.plan import PlanWorkspace
from brave_bridge.tui.workspaces.proof import ProofWorkspace
from brave_bridge.tui.workspaces.route import RouteWorkspace
from brave_bridge.tui.workspaces.survey import SurveyWorkspace
from brave_bridge.tui.workspaces.ways_back import WaysBackWorkspace

if TYPE_CHECKING:
    from brave_bridge.workbench.record import MachineRecord

WORKSPACES = (
    FleetWorkspace, SurveyWorkspace, RouteWorkspace, PlanWorkspace, CrossingWorkspace,
    ProofWorkspace, WaysBackWorkspace, KernelsWorkspace, ConfigsWorkspace, LogbookWorkspace,
)  # fmt: skip
TABS = tuple((w.KEY, w.NAME, w.WORDS) for w in WORKSPACES)
_POLL_SECONDS = 0.5
_SHOW_SECONDS = 0.4
_MANY = 20
_NARROW = 110


class BraveBridge(Deeds, PlanDeeds, ReadyDeeds, WayBackDeeds, App[int]):
    """The screen. Closing it ends nothing that is under way."""

    TITLE = "Brave Bridge"
    ENABLE_COMMAND_PALETTE = True
    CSS = """
    #middle { height: 1fr; }
    ContentSwitcher { width: 1fr; height: 1fr; }
    """
    BINDINGS = [
        Binding(key, action, words, show=False)
        for key, action, words in (
            *((key, f"go('{name}')", words) for key, name, words in TABS),
            ("left_square_bracket", "machine(-1)", "machine before"),
            ("right_square_bracket", "machine(1)", "next machine"),
            ("n", "next_step", "next step"),
            ("slash", "filter", "filter"),
            ("w", "why", "why pane"),
            ("x", "export", "export"),
            ("t", "look", "look"),
            ("question_mark", "keys", "keys"),
            ("q", "leave", "leave"),
        )
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
        self.fresh = fresh
        self.farewell = ""
        self._watching = False
        self._hints: tuple[tuple[str, str], ...] = ()
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
        self.call_after_refresh(self._load)

    async def _furnish(self, names: list[str]) -> None:
        """Put up the workspaces that are not on show, then read the machines."""
        others = [workspace() for workspace in WORKSPACES if self.place != workspace.NAME]
        for workspace in others:
            workspace.display = False
        await self.query_one(ContentSwitcher).mount(*others)
        self.read_machines(names)
        self.set_interval(_POLL_SECONDS, self._poll)

    @work(thread=True, group="load")
    def _load(self) -> None:
        from brave_bridge.machines.port import MachineError

        self.call_from_thread(self.tell_busy, "reading the fleet …")
        try:
            names = self.harbour.load(
                fresh=self.fresh,
                tell=lambda name: self.call_from_thread(self.tell_busy, f"building {name} …"),
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

    @work(thread=True, group="read")
    def read_machines(self, names: list[str]) -> None:
        """Read machines anew, and show what was read; of many, several at a time."""
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
        self.show_current()

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
        """The workspace on show."""
        return self.query_one(f"#workspace-{self.place}", Workspace)

    def show_current(self) -> None:
        """Lay out the current machine in the current workspace."""
        record = self.harbour.record()
        if record is None:
            return
        self.query_one(BridgeStrip).tell(record)
        self._hints = self.workspace.show(record, self.harbour).hints
        self.query_one(NextLine).tell(record.next)
        self.query_one(KeyLine).tell(TABS, self.place, self._hints)
        self._tell_head()

    def _tell_head(self) -> None:
        machines = [(r.next, bool(r.live and r.live.is_open)) for r in self.harbour.records()]
        self.query_one(HeadLine).tell(self.harbour.station, machines)

    def tell_busy(self, words: str) -> None:
        """Say what is under way in the foreground, in the bridge strip's lower edge."""
        self.query_one(BridgeStrip).tell(self.harbour.record(), words)

    def validate_place(self, place: str) -> str:
        """A place that is not put up yet cannot be gone to."""
        return place if self.query(f"#workspace-{place}") else self.place

    def watch_place(self, place: str) -> None:
        self.query_one(ContentSwitcher).current = f"workspace-{place}"
        self.show_current()
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
            self.query_one(NextLine).tell(record.next)

    def on_ledger_chosen(self, event: Ledger.Chosen) -> None:
        deeds = {
            "open": self._open_machine, "goal": self._choose_goal, "fold": self.toggle_fold,
            "answer": self.answer_question, "let_go": self.let_go, "unwish": self.take_wish_back,
            "preview": self.preview_return, "expand": self.expand_procedure,
            "task": self.toggle_task, "choose": self.choose, "way": self.take_way,
        }  # fmt: skip
        deeds[event.row.action](event.row.key)

    def _open_machine(self, name: str) -> None:
        self.harbour.current = name
        self.place = "survey"

    def _choose_goal(self, release: str) -> None:
        self.harbour.set_goal(self.harbour.current, release)
        self.read_machines([self.harbour.current])

    def action_go(self, place: str) -> None:
        self.place = place

    def action_machine(self, by: int) -> None:
        self.harbour.step(by)
        self.show_current()

    def action_next_step(self) -> None:
        """Do the next step, or open the place where it is done."""
        record = self.harbour.record()
        if record is None:
            return
        step = record.next
        self.place = step.workspace
        if step.action == "plan":
            self.action_plan()
        elif step.action == "cross":
            self.action_cross()
        elif step.action == "go_on":
            self.action_go_on()
        elif step.action == "update":
            self.action_update()

    def action_filter(self) -> None:
        self.workspace.start_filter()

    def action_why(self) -> None:
        self.query_one(WhyPane).cycle()

    def action_look(self) -> None:
        names = [theme.name for theme in THEMES]
        self.theme = names[(names.index(self.theme) + 1) % len(names)]
        self.show_current()
        self.query_one(WhyPane).explain(self.workspace.ledger.explanation)

    def action_keys(self) -> None:
        words = next(words for _, name, words in TABS if name == self.place)
        self.push_screen(KeyList(words, self._hints))

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
                words, f"Open this workspace ({key})", lambda name=name: self.action_go(name)
            )
        for words, help_text, action in ACTIONS:
            yield SystemCommand(words, help_text, lambda action=action: self.run_action(action))

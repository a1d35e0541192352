"""Every key in every place on every kind of machine: no crash, no dead key, no wrong machine."""

import asyncio
import shutil

import msgspec
import pytest

from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.formats.text import plain
from brave_bridge.runner.briefs import UpdateBrief, encode_brief
from brave_bridge.store.rows import ProcedureRow, QuestionRow
from brave_bridge.tui.actions import EVERYWHERE
from brave_bridge.tui.app import TABS, WORKSPACES, BraveBridge
from brave_bridge.tui.dialogs import KeyList
from brave_bridge.tui.widgets.why_pane import WhyPane
from brave_bridge.workbench.record import Fault, Live, MachineRecord

_QUIET = ("leave",)
"""Ends the screen: pressed apart."""


@pytest.fixture
def world(demo_world, tmp_path, monkeypatch):
    """A copy of the demo fleet that the screen opens as the person's own."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    monkeypatch.chdir(tmp_path)
    # Hundreds of keys are pressed: after each one the screen is idle much sooner than by default.
    monkeypatch.setattr("textual._wait.SLEEP_GRANULARITY", 0.004)
    monkeypatch.setattr("textual._wait.SLEEP_IDLE", 0.0008)
    shutil.copytree(demo_world, tmp_path / "brave-bridge/demo", symlinks=True)
    return tmp_path


class Watched(BraveBridge):
    """The screen, with what it was asked to do in place of the doing itself."""

    def __init__(self) -> None:
        super().__init__((), demo=True)
        self.done: list[tuple[str, str]] = []
        self.said: list[str] = []
        self.watched = True
        self.doing.do = self._note

    def _note(self, machine: str, words: str, deed, then=None) -> None:
        self.done.append((machine, words))

    def notify(self, message: str, **options) -> None:
        self.said.append(message)
        super().notify(message, **options)

    def _poll(self) -> None:
        """What is under way is not looked at: a test says how it stands."""

    def read_machines(self, names: list[str]) -> None:
        if self.watched:
            super().read_machines(names)

    def state(self) -> tuple:
        """All by which a person could see that a key did something."""
        lines = tuple(str(widget.render()) for widget in self.screen.query("Static"))
        focus = str(self.screen.focused)
        lines += tuple(sorted(self.screen_stack[0].query_one(WhyPane).classes))
        return (
            self.place,
            self.theme,
            len(self.screen_stack),
            self.harbour.current,
            focus,
            len(self.done),
            len(self.said),
            lines,
            self.farewell,
        )


def driven(body, *, size=(100, 30)) -> None:
    """Run the screen until every machine is read, then the body."""

    async def inner() -> None:
        app = Watched()
        async with app.run_test(size=size) as pilot:
            await until(pilot, lambda: len(app.harbour.records()) > 8)
            await until(pilot, lambda: all(r.surveyed or r.fault for r in app.harbour.records()))
            await until(pilot, lambda: len(app.query("Workspace")) == len(WORKSPACES))
            await body(app, pilot)

    asyncio.run(inner())


async def until(pilot, condition, seconds: float = 120) -> None:
    for _ in range(int(seconds * 20)):
        await pilot.pause(0.05)
        if condition():
            return
    raise AssertionError("it did not come to that")


async def back_to_the_place(app, pilot, place: str) -> None:
    """Close what a key has opened."""
    while len(app.screen_stack) > 1:
        app.pop_screen()
        await pilot.pause()
    app.workspace.action_clear_filter()
    app.place = place
    await pilot.pause()


async def press_all(app, pilot, name: str, workspace, actions) -> None:
    """Press the key of each action on a machine; what is told must do something."""
    for action in (one for one in actions if one.name not in _QUIET):
        app.harbour.current = name
        app.show_current()
        await back_to_the_place(app, pilot, workspace.NAME)
        offered = {label for label, _ in app.workspace.keys(app.harbour.record())}
        before = app.state()
        await pilot.press(action.key)
        await pilot.pause()
        told = action.label in offered or action in EVERYWHERE
        assert app.state() != before or not told, (name, workspace.NAME, action.key)
        assert {machine for machine, _ in app.done} <= {name}
        app.done.clear()
    await back_to_the_place(app, pilot, workspace.NAME)


async def kinds_of(app, pilot, name: str, workspace) -> dict:
    """What tells an action on a machine from others: its family, and whether the key is told."""
    app.harbour.current = name
    await back_to_the_place(app, pilot, workspace.NAME)
    app.show_current()
    record = app.harbour.record()
    family = record.surveyed.facts.family if record.surveyed else ""
    told = {label for label, _ in app.workspace.keys(record)}
    own = {action: (workspace, family, action.label in told) for action in workspace.ACTIONS}
    return {action: (action, own.get(action, workspace)) for action in (*own, *EVERYWHERE)}


@pytest.mark.long
def test_every_key_does_something_and_none_ends_in_a_fault(world):
    async def body(app, pilot) -> None:
        pressed = set()
        for name in [record.name for record in app.harbour.records()]:
            for workspace in WORKSPACES:
                kinds = await kinds_of(app, pilot, name, workspace)
                new = [action for action, kind in kinds.items() if kind not in pressed]
                if not new:
                    continue
                pressed.update(kinds.values())
                await press_all(app, pilot, name, workspace, new)
                await pilot.press("escape", "enter", "down", "up")
                await back_to_the_place(app, pilot, workspace.NAME)
                app.done.clear()

    driven(body)


def asked(choices: tuple[str, ...]) -> Live:
    """A crossing that asks."""
    row = ProcedureRow(
        id="trial",
        kind="crossing",
        title="5.3 to 7",
        brief=encode_brief(UpdateBrief("deb")),
        state="running",
        began="2026-11-25T12:00:00+00:00",
        ended="",
        outcome=None,
        rest_asked=False,
        unattended=False,
    )
    question = QuestionRow(
        "trial",
        "sources-0",
        "Go on?",
        "detail",
        choices,
        choices[0],
        "2026-11-25T12:00:01+00:00",
        "",
        "",
    )
    return Live(row=row, entries=(), questions=(question,), at_work=True)


@pytest.mark.long
def test_every_key_in_every_state_of_a_machine(world):
    async def body(app, pilot) -> None:
        app.watched = False
        for record in in_every_state(app.harbour.record("petrel")):
            app.harbour.keep(record)
            for workspace in WORKSPACES:
                await press_all(app, pilot, "petrel", workspace, workspace.ACTIONS)
                await pilot.press("escape", "enter", "n")
                await back_to_the_place(app, pilot, workspace.NAME)
                app.done.clear()

    driven(body)


def in_every_state(read: MachineRecord) -> tuple[MachineRecord, ...]:
    """A machine that was not read, cannot be, asks, rests, and failed."""
    live = asked(("go on", "undo"))
    resting = msgspec.structs.replace(live, questions=(), at_work=False)
    outcome = Outcome(state="failed", at="stage two", why="no room", next_step="go on")
    ended = msgspec.structs.replace(live.row, state="failed", outcome=outcome)
    fault = Fault("reading", "disk gone", "look")
    return (
        MachineRecord(name="petrel", about="", words=()),
        MachineRecord(name="petrel", about="", words=(), fault=fault),
        msgspec.structs.replace(read, live=live),
        msgspec.structs.replace(read, live=resting),
        msgspec.structs.replace(read, live=msgspec.structs.replace(resting, row=ended)),
    )


def test_a_key_and_another_machine_in_quick_order_act_on_the_machine_that_was_on_show(world):
    async def body(app, pilot) -> None:
        app.harbour.current = "petrel"
        await back_to_the_place(app, pilot, "survey")
        app.show_current()
        await pilot.press("k", "right_square_bracket", "k", "left_square_bracket", "s")
        await pilot.pause()
        names = [record.name for record in app.harbour.records()]
        after = names[(names.index("petrel") + 1) % len(names)]
        assert [name for name, _ in app.done] == ["petrel", after, "petrel"]

    driven(body)


def test_one_table_feeds_keys_help_and_the_list_of_actions(world):
    async def body(app, pilot) -> None:
        found = [command.title for command in app.get_system_commands(app.screen)]
        assert len(found) == len(set(found)), "no two of one name"
        for workspace in WORKSPACES:
            bound = {binding.key for binding in workspace.BINDINGS}
            assert bound == {action.key for action in workspace.ACTIONS}
            assert {f"{workspace.WORDS}: {a.words}" for a in workspace.ACTIONS} <= set(found)
            for action in workspace.ACTIONS:
                method = getattr(workspace, f"action_{action.name.partition('(')[0]}")
                assert method.__doc__ and action.told
        app.harbour.current = "petrel"
        await back_to_the_place(app, pilot, "ways_back")
        app.show_current()
        await pilot.press("question_mark")
        await pilot.pause()
        assert isinstance(app.screen, KeyList)
        shown = plain(str(app.screen.query_one("Static").render()))
        assert all(f"{label} " in shown for label, _ in app.workspace.keys(app.harbour.record()))

    driven(body)


def test_what_is_called_like_on_the_command_line_is_a_command_there():
    import typer

    from brave_bridge.cli.application import app as commands
    from brave_bridge.cli.table import load_commands

    load_commands()
    known = set(typer.main.get_command(commands).commands)
    named = {a.command for w in WORKSPACES for a in w.ACTIONS if a.command}
    assert named <= known and len(TABS) == len(WORKSPACES)

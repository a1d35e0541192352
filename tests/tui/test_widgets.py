"""The screen's own widgets, driven without a terminal."""

import asyncio

import msgspec
import pytest
from textual.app import App
from textual.widgets import Input, Static

from brave_bridge.tui.dialogs import ConfirmByName
from brave_bridge.tui.theme import THEMES
from brave_bridge.tui.widgets.filter_line import FilterLine
from brave_bridge.tui.widgets.ledger import Ledger
from brave_bridge.tui.widgets.lines import HeadLine, KeyLine
from brave_bridge.tui.widgets.why_pane import WhyPane
from brave_bridge.workbench.outlook.next_step import NextStep
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, heading

COLUMNS = (Column("", 2), Column("what", 20), Column("size", 8, right=True), Column("why"))


def page(*names: str, start: str = "") -> Page:
    rows = [heading("all of it", 4)]
    rows += [
        Row(name, ("●", name, "12 kB", f"because {name}"), action="open", why=(Note("text", name),))
        for name in names
    ]
    return Page("summary", COLUMNS, tuple(rows), "Nothing yet.", (Note("text", "about"),), start)


class Bench(App):
    """One widget on a bench."""

    def __init__(self, *widgets) -> None:
        super().__init__()
        self.widgets = widgets
        self.pointed: list[str | None] = []
        self.chosen: list[str] = []
        self.answers: list[bool | None] = []
        for theme in THEMES:
            self.register_theme(theme)
        self.theme = THEMES[0].name

    def compose(self):
        yield from self.widgets

    def on_ledger_pointed(self, event: Ledger.Pointed) -> None:
        self.pointed.append(event.row.key if event.row else None)

    def on_ledger_chosen(self, event: Ledger.Chosen) -> None:
        self.chosen.append(event.row.key)


def on_bench(*widgets, size=(80, 24)):
    """Run an async test body with widgets on a bench."""

    def run(body) -> None:
        async def inner() -> None:
            app = Bench(*widgets)
            async with app.run_test(size=size, notifications=True) as pilot:
                await body(app, pilot)

        asyncio.run(inner())

    return run


def text_of(ledger: Ledger) -> list[str]:
    return [ledger.render_line(y).text for y in range(ledger.size.height)]


def test_the_cursor_skips_headings_and_stops_at_the_ends():
    ledger = Ledger()

    async def body(app, pilot):
        ledger.focus()
        ledger.show(page("one", "two", "three"))
        await pilot.press("up", "up", "down", "end", "down", "enter", "home", "enter")
        assert app.chosen == ["three", "one"]
        assert ledger.explanation == (Note("text", "one"),)

    on_bench(ledger)(body)


def test_a_page_can_say_where_the_cursor_begins_and_it_stays_on_its_row():
    ledger = Ledger()

    async def body(app, pilot):
        ledger.show(page("one", "two", "three", start="two"))
        assert ledger.pointed.key == "two"
        ledger.show(page("zero", "one", "two"))
        assert ledger.pointed.key == "two"
        ledger.show(page("zero"))
        assert ledger.pointed.key == "zero"

    on_bench(ledger)(body)


def test_neither_a_cell_nor_a_paragraph_has_control_codes():
    ledger, pane = Ledger(), WhyPane()

    async def body(app, pilot):
        ledger.show(page("one\x1b[2J\x07\ntwo"))
        pane.explain((Note("text", "three\x1b]0;x\x07\x9b"),))
        await pilot.pause()
        shown = [
            *text_of(ledger),
            *(strip.text for strip in app.screen._compositor.render_strips()),
        ]
        assert "one\N{REPLACEMENT CHARACTER} two" in "".join(shown) and "three" in "".join(shown)
        assert not [line for line in shown if not line.isprintable()]

    on_bench(ledger, pane)(body)


def test_the_cursor_goes_with_what_is_newest_until_it_is_moved():
    ledger = Ledger()

    def newest_first(*names: str) -> Page:
        return msgspec.structs.replace(page(*names), newest_first=True)

    async def body(app, pilot):
        ledger.focus()
        ledger.show(newest_first("one"))
        ledger.show(newest_first("two", "one"))
        assert ledger.pointed.key == "two"
        await pilot.press("down")
        ledger.show(newest_first("three", "two", "one"))
        assert ledger.pointed.key == "one"
        await pilot.press("home")
        ledger.show(newest_first("four", "three", "two", "one"))
        assert ledger.pointed.key == "four"

    on_bench(ledger)(body)


def test_a_filter_shows_only_what_fits_and_says_when_nothing_does():
    ledger = Ledger()

    async def body(app, pilot):
        ledger.show(page("one", "two", "three"))
        ledger.filter("THR")
        await pilot.pause()
        assert ledger.pointed.key == "three" and app.pointed[-1] == "three"
        ledger.filter("nowhere")
        await pilot.pause()
        assert app.pointed[-1] is None
        assert any("Nothing here has that in it." in line for line in text_of(ledger))
        ledger.filter("")
        assert len([line for line in text_of(ledger) if "because" in line]) == 3

    on_bench(ledger)(body)


def test_a_filter_line_says_that_letters_go_into_it_exactly_while_they_do():
    line, elsewhere = FilterLine(), Input()

    async def body(app, pilot):
        await app.mount(elsewhere)
        hint = line.query_one(Static)
        line.open()
        await pilot.press("t", "h")
        assert hint.display and line.query_one(Input).value == "th"
        elsewhere.focus()
        await pilot.press("r")
        assert not hint.display and line.query_one(Input).value == "th" and line.display
        line.clear()
        assert line.query_one(Input).value == "" and not line.display

    on_bench(line)(body)


def test_an_empty_page_wraps_its_words_and_explains_itself():
    ledger = Ledger()

    async def body(app, pilot):
        words = "There is no way back yet and this sentence is longer than the line is wide."
        ledger.show(Page("none", COLUMNS, (), words, (Note("text", "about"),)))
        await pilot.pause()
        shown = " ".join(" ".join(text_of(ledger)).split())
        assert words in shown and ledger.explanation == (Note("text", "about"),)

    on_bench(ledger, size=(40, 12))(body)


@pytest.mark.parametrize("width", [20, 40, 80, 142])
def test_every_line_fills_the_width_exactly(width):
    ledger = Ledger()

    async def body(app, pilot):
        ledger.show(page("x" * 60, "\N{CJK UNIFIED IDEOGRAPH-6F6E}" * 30, "three"))
        await pilot.pause()
        lines = [ledger.render_line(y) for y in range(ledger.size.height)]
        assert {line.cell_length for line in lines} == {ledger.size.width}

    on_bench(ledger, size=(width, 12))(body)


def test_a_click_points_and_a_second_one_chooses():
    ledger = Ledger()

    async def body(app, pilot):
        ledger.show(page("one", "two"))
        await pilot.pause()
        await pilot.click(Ledger, offset=(5, 3))
        assert ledger.pointed.key == "two" and app.chosen == []
        await pilot.click(Ledger, offset=(5, 3))
        assert app.chosen == ["two"]
        await pilot.click(Ledger, offset=(5, 1))
        assert ledger.pointed.key == "two"

    on_bench(ledger)(body)


def test_only_the_machines_own_name_confirms():
    async def body(app, pilot):
        app.push_screen(
            ConfirmByName("Return", ["44 paths would be lost"], "petrel"), app.answers.append
        )
        await pilot.pause()
        await pilot.press(*"gannet", "enter")
        assert app.answers == []
        await pilot.press(*"petrel", "enter")
        await pilot.pause()
        assert app.answers == [True]
        app.push_screen(ConfirmByName("Return", [], "petrel"), app.answers.append)
        await pilot.pause()
        await pilot.press("escape")
        await pilot.pause()
        assert app.answers == [True, False]

    on_bench()(body)


def test_the_head_counts_each_machine_once():
    head = HeadLine()

    async def body(app, pilot):
        needs, rests = NextStep("answer", "crossing", "show", 2), NextStep("rest", "", "", 0)
        head.tell("Northlight", [(needs, True), (rests, True), (rests, False), (needs, False)])
        await pilot.pause()
        assert "4 machines · 2 in need of you · 2 under way · 1 at rest" in str(head.render())

    on_bench(head)(body)


@pytest.mark.parametrize(("width", "seen"), [(142, "8 Kernels"), (96, "8 Kernels"), (80, "8  9")])
def test_the_key_line_fits_every_width(width, seen):
    line = KeyLine()
    names = (
        "Fleet",
        "Survey",
        "Route",
        "Plan",
        "Crossing",
        "Proof",
        "Ways back",
        "Kernels",
        "Configs",
        "Logbook",
    )
    tabs = tuple((str((n + 1) % 10), name.lower(), name) for n, name in enumerate(names))

    async def body(app, pilot):
        line.tell(tabs, "route", (("Enter", "make it the goal"),))
        await pilot.pause()
        assert seen in str(line.render()) and "3 Route" in str(line.render())

    on_bench(line, size=(width, 5))(body)


@pytest.mark.parametrize("width", [142, 100, 80])
def test_the_key_line_says_where_it_goes_on(width):
    line = KeyLine()
    hints = tuple((chr(97 + n), f"does a thing {n}") for n in range(12))

    async def body(app, pilot):
        line.tell((("1", "fleet", "Fleet"),), "fleet", hints)
        await pilot.pause()
        keys = str(line.render()).splitlines()[1]
        shown = sum(f"does a thing {n} " in keys for n in range(12))
        assert 0 < shown < 12 and len(keys.rstrip()) <= width - 2
        # Those of every place count too: machine and why.
        assert f"? keys: {14 - shown} more" in keys and "q leave" in keys
        line.tell((("1", "fleet", "Fleet"),), "fleet", hints[:1])
        await pilot.pause()
        assert "? keys   q leave" in str(line.render())

    on_bench(line, size=(width, 5))(body)


def test_the_why_pane_goes_round():
    pane = WhyPane()

    async def body(app, pilot):
        assert [pane.cycle() for _ in range(4)] == ["wide", "hidden", "normal", "wide"]
        pane.explain((Note("title", "Because"), Note("seen", "/etc/x"), Note("do", "look")))
        await pilot.pause()

    on_bench(pane)(body)


@pytest.mark.parametrize("size", [(100, 30), (142, 42)])
def test_what_is_told_meanwhile_does_not_stand_over_a_dialog(size):
    @on_bench(Static("behind"), size=size)
    async def _(app, pilot):
        dialog = ConfirmByName("Cross to 8.4", ["It takes a while."] * 9, "puffin")
        app.push_screen(dialog)
        await pilot.pause()
        app.notify("A backup of home and data is noted.", title="noted")
        await pilot.pause(0.3)
        (toast,) = dialog.query("Toast")
        box = dialog.query_one("Dialog > Vertical").region
        assert toast.region.height > 0 and not box.overlaps(toast.region)

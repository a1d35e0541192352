"""Whatever a machine tells of itself, a screen and a page are drawn of text alone."""

import asyncio
import xml.etree.ElementTree as ElementTree

import pytest
from rich.segment import Segment
from textual.color import Color
from textual.widgets import DataTable, Static

from brave_bridge.core.formats.text import drawable, plain
from brave_bridge.drawings.chart import Bar, Chart, Lane, Line, Mark
from brave_bridge.drawings.chart_figure import save_chart
from brave_bridge.drawings.document import Part, Section, save_document
from brave_bridge.tui.cleaning import ONLY_TEXT
from brave_bridge.tui.frame import Frame

ODD = "a\x1b[2Jb\x9bc\u202ed\u2066e\u061cf\ufeffg\x07h\udcffi\U000e0041j\ufffek\u200fl"
WRONG = set(ODD) - set("abcdefghijkl[2J")


def test_plain_text_has_nothing_that_steers_a_terminal_or_turns_text_round():
    for clean in (plain(ODD), drawable(ODD)):
        assert not WRONG & set(clean) and clean.encode()
    assert plain("déjà vu\t→ 潮\n") == drawable("déjà vu\t→ 潮\n") == "déjà vu\t→ 潮\n"


def test_a_line_stays_as_wide_as_it_is():
    before = [Segment(ODD), Segment("tide"), Segment("\x1b]0;x\x07", None, [(1,)])]
    after = ONLY_TEXT.apply(before, Color(0, 0, 0))
    assert not WRONG & set(after[0].text) and after[1:] == before[1:]
    assert sum(s.cell_length for s in after) == sum(s.cell_length for s in before)


class Odd(Frame):
    TITLE = ODD

    def compose(self):
        yield Static(ODD, markup=False)
        table = DataTable()
        table.add_column(ODD)
        table.add_row(ODD)
        yield table

    def on_mount(self) -> None:
        self.query_one(Static).border_title = ODD
        self.query_one(Static).styles.border = ("round", "white")
        self.notify(ODD, title=ODD, markup=False)


def test_no_widget_draws_what_is_no_text():
    async def drawn() -> list[str]:
        app = Odd()
        async with app.run_test(size=(100, 24)) as pilot:
            await pilot.pause(0.2)
            return [
                "".join(s.text for s in strip) for strip in app.screen._compositor.render_strips()
            ]

    lines = asyncio.run(drawn())
    assert sum("a" in line and "l" in line for line in lines) >= 3
    assert not WRONG & set("".join(lines))


@pytest.mark.parametrize("ending", ["svg", "pdf"])
def test_no_pen_draws_what_is_no_text(tmp_path, ending):
    lane = Lane("x", ODD, (Bar(0.0, 0.5, words=ODD),), (Mark(0.7, "●", words=ODD),), note=ODD)
    chart = Chart(ODD, (lane,), ((0.1, ODD),), (Line(0.3, ODD),), legend=((ODD, ODD),))
    path = tmp_path / f"chart.{ending}"
    if ending == "svg":
        save_chart(chart, path)
        ElementTree.parse(path)
    else:
        parts = [Part(title=ODD, about=ODD, picture=chart, sections=(Section(ODD, (ODD,)),))]
        save_document(parts, path)
    assert path.stat().st_size > 1000

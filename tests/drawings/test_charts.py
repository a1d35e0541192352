"""A chart is the same in characters, on paper and in a document, at every size."""

import re
import xml.etree.ElementTree as ElementTree
from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from rich.cells import cell_len

from brave_bridge.drawings.chart import (
    FILLS,
    TONES,
    Bar,
    Chart,
    Curve,
    Lane,
    Line,
    Mark,
    TimeAxis,
    shares,
)
from brave_bridge.drawings.chart_figure import save_chart
from brave_bridge.drawings.chart_text import drawn, height_of
from brave_bridge.drawings.document import Part, Section, save_document

PLACE = st.floats(0, 1)
WORDS = st.text("abc ▲→é漢", max_size=30)
BARS = st.builds(Bar, PLACE, PLACE, st.sampled_from(FILLS), st.sampled_from(TONES), WORDS)
MARKS = st.builds(Mark, PLACE, st.sampled_from("◆◇╳▲"), st.sampled_from(TONES), WORDS)
LANES = st.builds(
    Lane,
    st.uuids().map(str),
    WORDS,
    st.lists(BARS, max_size=4).map(tuple),
    st.lists(MARKS, max_size=4).map(tuple),
    WORDS,
    st.sampled_from(TONES),
)
CHARTS = st.builds(
    Chart,
    WORDS,
    st.lists(LANES, max_size=30).map(tuple),
    st.lists(st.tuples(PLACE, WORDS), max_size=5).map(tuple),
    st.lists(st.builds(Line, PLACE, WORDS), max_size=2).map(tuple),
    st.lists(
        st.builds(Curve, WORDS, st.lists(st.tuples(PLACE, PLACE), max_size=6).map(tuple)),
        max_size=3,
    ).map(tuple),
    WORDS,
)


def text(rows) -> list[str]:
    return ["".join(ink.character for ink in row) for row in rows]


@given(CHARTS, st.integers(1, 160), st.integers(0, 40))
def test_any_chart_fits_any_place(chart, width, height):
    rows = drawn(chart, width, height)
    assert len(rows) <= max(height, 0)
    assert all(len(row) <= width for row in rows)
    assert all(cell_len(line) <= width for line in text(rows))
    assert height_of(chart, 12) <= 12
    keys = {lane.key for lane in chart.lanes}
    assert {ink.key for row in rows for ink in row} <= keys | {""}


FLEET = Chart(
    "Support",
    tuple(
        Lane(
            name, name, (Bar(0.1, end, "solid", "clear"),), note=f"{end:.0%}", rows=(f"row-{name}",)
        )
        for name, end in (("gannet", 0.3), ("petrel", 0.9), ("skua", 0.5))
    ),
    ticks=((0.0, "2025"), (1.0, "2031")),
    lines=(Line(0.4, "today"),),
    telling="● petrel lasts longest",
)


def test_bars_are_as_long_as_they_say_and_today_goes_across():
    rows = text(drawn(FLEET, 100, 10))
    lengths = [row.count("█") for row in rows]
    assert lengths[1] > lengths[2] > lengths[0] > 0
    columns = [row.index("│") for row in rows[:3]]
    assert len(set(columns)) == 1, "the line stands in one column"
    assert "today" in rows[3] and "2031" in rows[3] and rows[1].rstrip().endswith("90%")


def test_the_lane_of_a_row_is_pointed_at_by_a_sign_and_not_by_colour_alone():
    for pointed in ("petrel", "row-petrel"):
        rows = text(drawn(FLEET, 100, 10, pointed))
        assert rows[1].startswith("▸ petrel") and not rows[0].startswith("▸")


def test_little_room_shows_what_is_pointed_at_and_says_how_much_is_not():
    many = Chart("many", tuple(Lane(f"m{n}", f"m{n}") for n in range(40)))
    rows = text(drawn(many, 60, 6, "m30"))
    assert len(rows) == 6 and any("▸ m30" in row for row in rows)
    assert rows[-1].strip() == "… and 35 more"
    assert text(drawn(FLEET, 80, 1)) == ["● petrel lasts longest".ljust(80)]


def test_curves_are_drawn_with_dots_and_named():
    curve = Curve("steps done", ((0.0, 0.0), (1.0, 1.0)))
    rows = text(drawn(Chart("c", curves=(curve,), ticks=((0.0, "0 s"),)), 80, 8))
    assert any("steps done" in row for row in rows)
    dots = [[at for at, c in enumerate(row) if 0x2800 < ord(c) < 0x2900] for row in rows]
    means = [sum(row) / len(row) for row in dots if row]
    assert means == sorted(means, reverse=True), "it rises to the right"


@pytest.mark.parametrize("ending", [".svg", ".pdf"])
def test_paper_has_every_lane(tmp_path, ending):
    path = tmp_path / f"chart{ending}"
    save_chart(FLEET, path)
    content = path.read_bytes()
    save_chart(FLEET, path)
    if ending == ".svg":
        ElementTree.fromstring(content)
        assert path.read_bytes().count(b"<path") == content.count(b"<path")
    else:
        assert content.startswith(b"%PDF")


def test_an_axis_holds_its_days_in_their_order():
    today = date(2026, 11, 29)
    axis = TimeAxis.around([today - timedelta(400), today + timedelta(900)], today)
    places = [axis.at(today + timedelta(days)) for days in (-400, 0, 30, 900)]
    assert places == sorted(places) and places[0] > 0 and places[-1] < 1
    assert [at for at, _ in axis.ticks] == sorted(at for at, _ in axis.ticks)
    short = TimeAxis.around([today], today, least_days=14)
    assert short.at(today) < short.at(today + timedelta(7)) < 1


def test_what_is_small_is_seen_and_nothing_is_nothing():
    assert shares([1000, 1, 0]) == [1.0, 0.012, 0.0] and shares([0, 0]) == [0.0, 0.0]


def test_a_document_has_pages_enough_for_all_lines(tmp_path):
    lines = tuple(f"- line {number}, " + "long " * 20 for number in range(250))
    one, two = tmp_path / "one.pdf", tmp_path / "two.pdf"
    save_document([Part("A plan", "about", FLEET, (Section("All", lines),))], one)
    save_document([Part("A plan", "about", FLEET, (Section("All", lines),), columns=2)], two)
    pages = [len(re.findall(rb"/Type /Page\b", path.read_bytes())) for path in (one, two)]
    assert pages[0] > pages[1] > 2, "two columns of smaller letters need less paper"


def test_wide_characters_take_two_columns():
    rows = drawn(Chart("c", (Lane("a", "漢字" * 20),)), 60, 5)
    assert cell_len("".join(ink.character for ink in rows[0])) == len(rows[0]) == 60

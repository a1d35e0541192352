"""The bridge: one geometry, drawn with characters and as a picture."""

import xml.etree.ElementTree as ElementTree

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.crossing.two_stages import TwoStages
from brave_bridge.drawings.bridge import BridgeState, bridge, marks_of
from brave_bridge.drawings.bridge_picture import save_bridge
from brave_bridge.drawings.bridge_text import one_line, three_lines

states = st.builds(
    BridgeState,
    titles=st.lists(
        st.sampled_from(["5.3 bowline", "7 diamond", "8", "x" * 40]), min_size=1, max_size=5
    ).map(tuple),
    passed=st.integers(0, 40),
    broken=st.booleans(),
    beyond=st.sampled_from(["", "9 (not out yet)"]),
)

MARKS = marks_of(TwoStages.checkpoints)


@given(states)
def test_everything_stands_between_the_shores(state):
    drawn = bridge(state)
    assert all(0 <= pier.x <= 1 for pier in drawn.piers)
    assert all(0 <= deck.start <= deck.end <= 1 for deck in drawn.decks)
    assert 0 <= drawn.place <= 1
    positions = [mark.x for mark in drawn.marks]
    assert positions == sorted(positions)
    assert [mark.passed for mark in drawn.marks] == sorted(
        (mark.passed for mark in drawn.marks), reverse=True
    )


@given(states, st.integers(8, 200))
def test_any_width_is_filled_exactly(state, width):
    drawn = bridge(state)
    assert len(one_line(drawn, width)) == width
    assert [len(line) for line in three_lines(drawn, width)] == [width] * 3
    assert one_line(drawn, width).count("◉") == 1


def text_of(state: BridgeState, width: int = 100) -> list[str]:
    return ["".join(cell.character for cell in line) for line in three_lines(bridge(state), width)]


def test_a_crossing_half_way_shows_what_is_built_and_what_is_not():
    titles, deck, below = text_of(BridgeState(("5.3 bowline", "7 diamond"), passed=3, marks=MARKS))
    assert "5.3 bowline" in titles and "7 diamond" in titles
    built, _, planned = deck.partition("◉")
    assert built.count("●") == 2 and "═" in built and "┈" not in built
    assert "┈" in planned and planned.count("┬") == 3
    assert all(mark in below for mark in MARKS)


def test_a_failure_breaks_the_deck_behind_the_place():
    _, deck, _ = text_of(BridgeState(("5.3", "7"), passed=4, broken=True, marks=MARKS))
    assert "◉╳" in deck


def test_what_is_not_out_yet_is_a_pier_that_nothing_reaches():
    drawn = bridge(BridgeState(("7",), beyond="9 (not out yet)"))
    assert [pier.reached for pier in drawn.piers] == [True, False]
    assert {deck.kind for deck in drawn.decks} == {"built", "beyond"}


@pytest.mark.parametrize("passed", [0, 3, 12])
def test_the_picture_names_every_release(tmp_path, passed):
    state = BridgeState(("11 bullseye", "12 bookworm", "13 trixie"), passed=passed, marks=MARKS)
    save_bridge(bridge(state), "heron · trial", tmp_path / "bridge.svg")
    save_bridge(bridge(state), "heron · trial", tmp_path / "bridge.pdf")
    svg = (tmp_path / "bridge.svg").read_text()
    ElementTree.fromstring(svg)
    assert all(f"<!-- {title} -->" in svg for title in state.titles)
    assert (tmp_path / "bridge.pdf").read_bytes().startswith(b"%PDF")

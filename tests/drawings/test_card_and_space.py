"""The recovery card and the space chart as SVG and PDF."""

import re
import xml.etree.ElementTree as ET

import numpy as np
import pytest
import segno
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.patches import PathPatch

from brave_bridge.core.ways_back.recovery_card import CardDisk, make_card
from brave_bridge.drawings.card import PAPERS, draw_card, save_card
from brave_bridge.drawings.space import SpaceBar, save_space
from tests.core.test_ways_back import card


def words_of(path) -> str:
    return " ".join(re.sub(r"\s+", " ", t) for t in re.findall(r"<!-- (.*?) -->", path.read_text()))


@pytest.mark.parametrize("paper", PAPERS)
def test_a_card_fits_on_its_page(tmp_path, paper):
    facts = card(
        disks=(CardDisk("sda", 256 << 30, card().parts[:2]), CardDisk("md0", 0, card().parts[2:]))
    )
    made = make_card(facts)
    svg, pdf = save_card(made, tmp_path, "card", paper)
    root = ET.parse(svg).getroot()
    assert root.tag.endswith("svg") and pdf.read_bytes().startswith(b"%PDF")
    for word in (
        "Recovery card: petrel",
        "tree /mnt return s-1",
        "UUID=1-2",
        facts.loader,
        "not covered",
    ):
        assert word in words_of(svg), word
    figure = draw_card(made, paper)
    figure.canvas.draw_idle()
    height = PAPERS[paper][1]
    (axes,) = figure.axes
    places = [text.get_position() for text in axes.texts]
    assert all(0 < x < PAPERS[paper][0] and 5 < y < height for x, y in places)
    # Black on white: it must survive the worst printer.
    assert {text.get_color() for text in axes.texts} == {"black"}


def test_a_card_with_much_on_it_still_fits(tmp_path):
    parts = tuple(card().parts) * 2
    disks = tuple(CardDisk(f"nvme{n}n1", 1 << 40, parts) for n in range(4))
    past = "Quayside 2 as of 2026-11-27 (20261127-101500-leg-4)"
    made = make_card(card(parts=parts, disks=disks, past_entry=past))
    assert any(past in step.words for step in made.steps)
    figure = draw_card(made)
    assert min(text.get_position()[1] for text in figure.axes[0].texts) > 5


def test_the_code_can_be_read_off_the_page():
    made = make_card(card())
    figure = draw_card(made)
    canvas = FigureCanvasAgg(figure)
    canvas.draw()
    page = np.asarray(canvas.buffer_rgba())[:, :, 0]
    rows = [list(row) for row in segno.make(made.code, error="l", micro=False).matrix]
    (code,) = (one for one in figure.axes[0].patches if isinstance(one, PathPatch))
    box = code.get_path().get_extents(code.get_transform())
    dark = [column for row in rows for column in row]
    # All squares together reach from corner to corner, and four of their width are free round it.
    centres = [(n + 0.5) / len(rows) for n in range(len(rows))]
    seen = [
        page[int(len(page) - box.y1 + down * box.height), int(box.x0 + across * box.width)] < 128
        for down in centres
        for across in centres
    ]
    assert seen == list(map(bool, dark)) and len(rows) > 20
    edge = 4 * box.width / len(rows)
    around = page[_rows_of(page, box, edge - 1), int(box.x0 - edge + 1) : int(box.x1 + edge - 1)]
    assert (around[:, : int(edge) - 2] == 255).all() and (around[:, 2 - int(edge) :] == 255).all()
    assert (around[: int(edge) - 2] == 255).all() and (around[2 - int(edge) :] == 255).all()


def _rows_of(page, box, more: float) -> slice:
    """The rows of a bitmap, counted from the top, of a box and so much more."""
    return slice(int(len(page) - box.y1 - more), int(len(page) - box.y0 + more))


def test_no_other_paper(tmp_path):
    with pytest.raises(ValueError, match="a4, letter"):
        save_card(make_card(card()), tmp_path, "card", "a5")


def test_the_space_chart_names_every_snapshot(tmp_path):
    bars = [
        SpaceBar("2026-11-23 09:00", "by $hand$", 12_000, 350_000),
        SpaceBar("2026-10-15 09:00", "damaged", 0, 0, "■"),
    ]
    for ending in (".svg", ".pdf"):
        save_space(bars, 10**9, "Ways back of petrel", tmp_path / f"space{ending}")
    text = words_of(tmp_path / "space.svg")
    assert "2026-11-23" in text and "by $hand$" in text and "1.00 GB free" in text
    save_space([], 0, "none", tmp_path / "none.svg")

"""The support time line: what it says of each bar, and that it is the same file every time."""

from datetime import date

import pytest

from brave_bridge.drawings.support import SupportBar, save_support, span, tone

TODAY = date(2026, 11, 25)
BARS = [
    SupportBar("gannet", "Quayside 5.1", date(2024, 11, 4), date(2026, 2, 28)),
    SupportBar("puffin", "Keelstone 8.4-rc2", date(2026, 5, 18), date(2026, 12, 31)),
    SupportBar("petrel $x^2", "Quayside <5.3>", date(2026, 3, 2), date(2027, 4, 30)),
    SupportBar("turnstone", "Driftline", None, None),
]


def test_a_bar_is_past_soon_well_or_unknown():
    assert [tone(bar, TODAY) for bar in BARS] == ["past", "soon", "well", "unknown"]
    first, last = span(BARS, TODAY)
    assert first < date(2024, 11, 4) and last > date(2027, 4, 30)
    assert span([], TODAY)[0] < TODAY < span([], TODAY)[1]


@pytest.mark.parametrize("ending", [".svg", ".pdf"])
def test_it_is_drawn_as_a_file_that_others_read(tmp_path, ending):
    path = tmp_path / f"fleet{ending}"
    save_support(BARS, "Support left: Northlight", TODAY, path)
    content = path.read_bytes()
    assert content.startswith(b"<?xml" if ending == ".svg" else b"%PDF")
    if ending == ".svg":
        assert b"<svg" in content and b"2026-11-25T" not in content
    save_support([], "nothing", TODAY, path)

"""The picture above a list: as tall as there is room, and one with the list's cursor."""

import pytest

from brave_bridge.tui.widgets.lines import KeyLine, NextLine
from brave_bridge.tui.widgets.picture import Picture
from tests.tui.test_every_key import back_to_the_place, driven, world  # noqa: F401


def lines(app) -> list[str]:
    picture = app.workspace.query_one(Picture)
    return ["".join(ink.character for ink in row) for row in picture._lines()]


@pytest.mark.parametrize(
    ("size", "least", "most"), [((142, 42), 4, 14), ((100, 30), 2, 8), ((80, 24), 1, 1)]
)
def test_it_is_as_tall_as_there_is_room_for(world, size, least, most):  # noqa: F811
    async def body(app, pilot) -> None:
        app.harbour.current = "petrel"
        for place in ("fleet", "survey", "route"):
            await back_to_the_place(app, pilot, place)
            app.show_current()
            await pilot.pause(0.1)
            assert least <= app.workspace.query_one(Picture).size.height <= most, place
            assert app.workspace.ledger.size.height >= 6, place
            assert lines(app)[0].strip()

    driven(body, size=size)


def test_the_cursor_of_list_and_picture_is_one(world):  # noqa: F811
    async def body(app, pilot) -> None:
        app.harbour.current = "petrel"
        await back_to_the_place(app, pilot, "ways_back")
        app.show_current()
        await pilot.pause(0.1)
        assert lines(app)[0].startswith("▸")
        await pilot.press("down")
        await pilot.pause(0.1)
        assert lines(app)[1].startswith("▸") and not lines(app)[0].startswith("▸")
        await pilot.press("shift+down")
        await pilot.pause(0.1)
        assert app.workspace.ledger.pointed.key == app.workspace.picture._chart.lanes[2].key
        await pilot.click("#workspace-ways_back Picture", offset=(4, 0))
        await pilot.pause(0.1)
        assert app.workspace.ledger.pointed.key == app.workspace.picture._chart.lanes[0].key
        await pilot.press("shift+up")
        assert app.workspace.ledger.pointed.key == app.workspace.picture._chart.lanes[0].key

    driven(body)


def test_a_new_look_colours_all_that_stands(world):  # noqa: F811
    def colours(app) -> set[str]:
        lines = [app.query_one(kind) for kind in (NextLine, KeyLine)]
        spans = [span for line in lines for span in line.content.spans]
        return {str(span.style).split()[-1] for span in spans}

    async def body(app, pilot) -> None:
        app.harbour.current = "petrel"
        await back_to_the_place(app, pilot, "crossing")
        before = app.theme_variables["primary"]
        await pilot.press("t")
        await pilot.pause(0.2)
        after = app.theme_variables["primary"]
        assert after != before
        assert before not in colours(app) and after in colours(app)

    driven(body)


def test_no_column_falls_off_a_narrow_edge(world):  # noqa: F811
    async def body(app, pilot) -> None:
        app.harbour.current = "petrel"
        for place in ("fleet", "survey", "route", "ways_back"):
            await back_to_the_place(app, pilot, place)
            app.show_current()
            await pilot.pause(0.1)
            ledger = app.workspace.ledger
            assert sum(ledger._widths) + len(ledger._widths) - 1 <= ledger.size.width - 1, place

    driven(body, size=(80, 24))

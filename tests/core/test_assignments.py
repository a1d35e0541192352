"""One value of a settings file is changed, and every other character stays."""

from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.formats.assignments import value_of, with_value


def test_comments_and_spaces_stay():
    text = "# what is offered\noffer = every   # not long-term\nother=1\n"
    changed = with_value(text, "offer", "long-term")
    assert changed == "# what is offered\noffer = long-term   # not long-term\nother=1\n"
    assert value_of(changed, "offer") == "long-term"
    assert with_value("a=1", "offer", "every") == "a=1\noffer=every\n"
    assert (
        value_of("#offer=every\n", "offer") == "" and value_of('offer="every"', "offer") == "every"
    )


@given(st.text(alphabet="of er=#\n", max_size=40), st.sampled_from(["every", "long-term"]))
def test_what_is_written_is_read_and_nothing_else_changes(text, value):
    changed = with_value(text, "offer", value)
    assert value_of(changed, "offer") == value
    assert with_value(changed, "offer", value) == changed

"""Why nothing is offered: one answer, the nearest first, with the first thing to do."""

import msgspec
import pytest

from brave_bridge.core.survey.findings import Finding, Verdict
from brave_bridge.workbench.planning.track import change_track
from brave_bridge.workbench.why_nothing import why_nothing


def with_stop(surveyed, *identifiers: str):
    stops = tuple(
        Finding(name, Verdict.STOP, f"title of {name}", "where", remedy=f"mend {name}")
        for name in identifiers
    )
    others = tuple(f for f in surveyed.findings if f.verdict is not Verdict.STOP)
    return msgspec.structs.replace(surveyed, findings=(*others, *stops))


def test_where_a_leg_can_be_begun_there_is_no_answer(stand_in):
    assert why_nothing(stand_in("petrel").survey()) is None


@pytest.mark.parametrize(
    ("stops", "cause"),
    [
        (("free-space", "pending-updates", "restart-pending", "open-leg"), "open-leg"),
        (("pending-updates", "restart-pending"), "restart"),
        (("free-space", "pending-updates"), "updates"),
        (("free-space", "field-notes"), "stop"),
        (("field-notes",), "field-note"),
    ],
)
def test_the_nearest_cause_comes_first(stand_in, stops, cause):
    surveyed = with_stop(stand_in("petrel").survey(), *stops)
    nothing = why_nothing(surveyed)
    assert nothing.cause == cause
    assert nothing.do.startswith("mend ") and nothing.why.startswith("title of ")


def test_a_release_that_is_not_out_and_a_track_that_hides_one(stand_in):
    desk = stand_in("petrel")
    text = desk.machine.files.read("/etc/os-release", 10_000).decode()
    for old, new in (("5.3", "7"), ("bowline", "diamond")):
        text = text.replace(old, new)
    desk.machine.files.write("/etc/os-release", text.encode())
    change_track(desk, long_term_only=True)
    hidden = why_nothing(with_stop(desk.survey()))
    assert hidden.cause == "track" and "8 englefield" in hidden.why and "track every" in hidden.do
    change_track(desk, long_term_only=False)
    assert why_nothing(with_stop(desk.survey())) is None
    waiting = why_nothing(with_stop(desk.survey("9")))
    assert waiting.cause == "not-out" and "9 fisherman" in waiting.why

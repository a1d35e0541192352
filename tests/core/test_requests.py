"""Every kind of request has a reply, is performed, and is recorded by its own name."""

import pytest

from brave_bridge.core.crossing.replies import Failed, Ran, Reply
from brave_bridge.core.crossing.requests import Ask, Run, kinds, reply_of
from brave_bridge.runner.performer import Performer


@pytest.mark.parametrize("kind", kinds().values(), ids=kinds())
def test_it_has_a_reply_and_somebody_who_performs_it(kind):
    assert issubclass(reply_of(kind), Reply)
    performed = vars(Performer)["_perform"].dispatcher.registry
    assert kind is Ask or kind in performed


@pytest.mark.parametrize(
    ("reply", "well"),
    [
        (Ran(0, "", 1.0, "job"), True),
        (Ran(2, "", 1.0, "job"), True),
        (Ran(1, "", 1.0, "job"), False),
        (Ran(0, "", 1.0, "job", lost=True), False),
        (Failed("x", "y"), False),
    ],
)
def test_a_command_went_well_where_it_ended_with_a_good_code(reply, well):
    run = Run(title="look", argv=("true",), good_codes=(0, 2))
    assert run.went_well(reply) is well

"""The one next step: what is most urgent wins."""

import msgspec
import pytest

from brave_bridge.workbench.outlook.next_step import OnTheWay, next_step

CALM = OnTheWay(goal="7 diamond", support_days=156)
ORDER = [
    ({"procedure": "crossing", "at_work": True, "question": "Turn?"}, "answer: Turn?", "show", 2),
    ({"procedure": "crossing", "question": "Turn?"}, "go on with the crossing", "go_on", 2),
    ({"procedure": "crossing", "at_work": True}, "the crossing is under way", "show", 0),
    ({"procedure": "return"}, "go on with the return", "go_on", 2),
    (
        {"procedure": "crossing", "awaits_restart": True},
        "restart the machine, then go on with the crossing",
        "go_on",
        2,
    ),
    ({"proof_due": True}, "prove again", "prove", 1),
    ({"proof_due": True, "proof_failed": True}, "worse than before", "show", 2),
    ({"proof_due": True, "proof_unread": True}, "not all of it could be read", "prove", 2),
    ({"went_back": "the gauge was lost"}, "it went back (the gauge was lost)", "show", 2),
    (
        {"tasks_left": ("Look at the tides", "and more"), "has_plan": True},
        "left to you: Look at the tides, and 1 more",
        "show",
        2,
    ),
    ({"unreadable": "no database"}, "cannot be read: no database", "show", 2),
    ({"failed": "stage two"}, "it failed (stage two)", "show", 2),
    ({"proof_failed": True}, "worse than before", "show", 2),
    ({"first_stop": "no room on /"}, "no room on /", "show", 2),
    ({"by_own_tools": True}, "cross it by its own tools", "show", 0),
    ({"has_plan": True, "plan_words": "5 upgrades"}, "cross to 7 diamond: 5", "cross", 1),
    ({}, "plan the way to 7 diamond: 156 days of support left", "plan", 1),
    ({"goal": ""}, "nothing to do until a newer release is out", "show", 0),
]


@pytest.mark.parametrize(("changes", "words", "action", "urgency"), ORDER)
def test_each_standing_has_its_step(changes, words, action, urgency):
    step = next_step(msgspec.structs.replace(CALM, **changes))
    assert words in step.words and (step.action, step.urgency) == (action, urgency)


def test_what_is_under_way_comes_before_all_else():
    everything = {key: value for changes, *_ in ORDER[:-1] for key, value in changes.items()}
    assert next_step(msgspec.structs.replace(CALM, **everything)).action == "show"
    assert "answer" in next_step(msgspec.structs.replace(CALM, **everything)).words


def test_past_support_is_said_plainly():
    step = next_step(msgspec.structs.replace(CALM, support_days=-270))
    assert "270 days without security fixes" in step.words

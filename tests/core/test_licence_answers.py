"""What a licence service answers is never a yes by accident."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.licensed.answers import UNUSABLE, WORDS, read_answer


def test_the_last_line_is_the_answer():
    answer = read_answer('connecting\n{"verdict": "good", "edition": "crew", "left": 2}\n\n')
    assert answer.is_good and (answer.edition, answer.left) == ("crew", 2)


@pytest.mark.parametrize("verdict", sorted(WORDS))
def test_every_verdict_is_a_sentence_and_one_is_a_yes(verdict):
    answer = read_answer(json.dumps({"verdict": verdict, "words": "so it is"}))
    assert answer.told and answer.is_good == (verdict == "good")
    assert answer.is_refusal == (verdict not in ("good", "silent", "unusable"))


@pytest.mark.parametrize(
    "output",
    [
        "",
        "good",
        '"good"',
        '["good"]',
        '{"verdict": "\\u001b[2Jgood"}',
        '{"verdict": "GOOD"}',
        '{"verdict": ["good"]}',
        '{"verdict": "good", "left": "many"}',
        '{"verdict": "good"}' + " " * 70_000,
        "[" * 60_000,
    ],
)
def test_everything_else_is_unusable(output):
    assert read_answer(output).verdict == UNUSABLE


@given(st.text(max_size=300))
def test_whatever_it_says_what_is_told_is_short_and_plain(words):
    told = read_answer(json.dumps({"verdict": "unknown", "words": words, "code": words})).told
    assert len(told) < 300 and "\x1b" not in told and "\n" not in told

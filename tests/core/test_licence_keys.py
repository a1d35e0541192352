"""Licence keys: their check character finds every mistake of one place, and shows nothing."""

import pickle

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from brave_bridge.core.licensed.key import (
    LENGTH,
    KeyFault,
    LicenceKey,
    check_character,
    grouped,
    judged,
    read_key,
)

_LETTERS = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ"
bodies = st.text(_LETTERS, min_size=LENGTH - 1, max_size=LENGTH - 1)


def whole(body: str) -> str:
    return body + check_character(body)


def test_the_check_character_is_that_of_the_standard():
    # The sample of ISO 17316's sister, the Global Release Identifier: A1-2425G-ABC1234002-M.
    assert check_character("A12425GABC1234002") == "M"


@given(bodies, st.sampled_from(["-", " ", "", "."]), st.booleans())
def test_a_key_is_read_however_it_is_grouped(body, between, small):
    typed = grouped(whole(body), between)
    assert read_key(typed.lower() if small else f" {typed}\n").reveal() == whole(body)


@given(bodies, st.integers(0, LENGTH - 1), st.sampled_from(_LETTERS))
def test_one_wrong_character_is_always_found(body, at, other):
    key = whole(body)
    assume(key[at] != other)
    with pytest.raises(KeyFault, match="mistyped"):
        read_key(key[:at] + other + key[at + 1 :])


@given(bodies, st.data())
def test_a_character_taken_for_another_is_pointed_at(body, data):
    alike = {"8": "B", "B": "8", "0": "O", "O": "0", "1": "I", "5": "S", "2": "Z"}
    key = whole(body)
    places = [at for at, letter in enumerate(key) if letter in alike]
    assume(places)
    at = data.draw(st.sampled_from(places))
    try:
        read_key(key[:at] + alike[key[at]] + key[at + 1 :])
    except KeyFault as fault:
        place = f"group {at // 4 + 1}, character {at % 4 + 1}"
        named = any(hint.startswith(place) for hint in fault.hints)
        assert named or not fault.hints  # Where far too many would do, none is named.


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ("", "nothing was typed"),
        ("CRJQ-3XH5", "8 characters, a key has 20"),
        ("CRJQ-3XH5-C9RY-HS8H-2FÜ8", "group 5, character 3 is neither"),
        ("A" * 10_000, "far longer"),
    ],
)
def test_what_is_no_key_says_why(typed, words):
    with pytest.raises(KeyFault, match=words):
        read_key(typed)


def test_a_key_of_another_edition_is_named():
    marks = {"CR": "Crew", "HA": "Harbour"}
    crew = whole("CR" + "7" * 17)
    assert judged(crew, marks, "Crew").shown == f"…{crew[-4:]}"
    with pytest.raises(KeyFault, match="for edition Crew, not for Harbour"):
        judged(crew, marks, "Harbour")
    with pytest.raises(KeyFault, match="begin with XX"):
        judged(whole("XX" + "7" * 17), marks, "Crew")


@given(bodies)
def test_a_key_shows_itself_to_nobody(body):
    key = LicenceKey(whole(body))
    for words in (repr(key), str(key), f"{key}", f"{[key]}"):
        assert key.reveal() not in words
    with pytest.raises(TypeError):
        pickle.dumps(key)
    for spelling in (grouped(key.reveal()), grouped(key.reveal(), " "), key.reveal().lower()):
        assert spelling not in key.hidden_in(f"key={spelling}!")

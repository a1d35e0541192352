"""Whatever somebody wrote is a value of the kind that was asked for, or one error."""

import contextlib

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.formats.decoding import decode_json, decode_toml, fields_of


class Mooring(msgspec.Struct):
    name: str
    depth: int = 0


_VALUES = st.recursive(
    st.none() | st.booleans() | st.integers(-9, 9) | st.text(max_size=5),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=5), inner),
    max_leaves=6,
)


@given(st.binary(max_size=40) | _VALUES.map(msgspec.json.encode))
def test_anything_is_of_the_kind_or_one_error(content):
    for decode in (decode_json, decode_toml):
        with contextlib.suppress(msgspec.DecodeError):
            assert isinstance(decode(content, Mooring), Mooring)
    with contextlib.suppress(msgspec.DecodeError):
        assert isinstance(fields_of(content), dict)


@pytest.mark.parametrize("deep", ["[", '{"a":'])
def test_what_nests_without_end_is_an_error_like_any_other(deep):
    for content in (deep * 200_000, ('{"name": "buoy", "unknown": ' + deep * 200_000).encode()):
        with pytest.raises(msgspec.DecodeError):
            decode_json(content, Mooring)
    with pytest.raises(msgspec.DecodeError):
        decode_toml("name = " + "[" * 200_000, Mooring)


def test_a_value_is_what_was_written():
    assert decode_json('{"name": "buoy", "depth": 3}', Mooring) == Mooring("buoy", 3)
    assert decode_toml('name = "buoy"\n', Mooring) == Mooring("buoy")

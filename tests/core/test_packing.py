"""Packed indices: every kind comes out as it went in, in bounds, and damage is told."""

import bz2
import gzip
import lzma

import lz4.frame
import pytest
import zstandard
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.formats.packing import PACKED, PackingError, unpack

PACKERS = {
    ".xz": lzma.compress,
    ".gz": gzip.compress,
    ".bz2": bz2.compress,
    ".lz4": lz4.frame.compress,
    ".zst": zstandard.ZstdCompressor().compress,
}


def test_every_kind_is_tried_here():
    assert set(PACKERS) == set(PACKED)


@pytest.mark.parametrize("ending", PACKED)
@given(content=st.binary(max_size=5000), most=st.integers(1, 6000))
def test_what_was_packed_comes_out_up_to_the_bound(ending, content, most):
    assert unpack(PACKERS[ending](content), ending, most) == content[:most]


@pytest.mark.parametrize("ending", PACKED)
def test_much_packed_into_little_stays_in_bounds(ending):
    bomb = PACKERS[ending](bytes(20_000_000))
    assert len(bomb) < 200_000 and len(unpack(bomb, ending, 1000)) == 1000


@pytest.mark.parametrize("ending", PACKED)
def test_damage_is_told(ending):
    packed = PACKERS[ending](bytes(range(256)) * 400)
    with pytest.raises(PackingError):
        unpack(b"junk" + packed, ending, 1 << 20)
    if ending != ".zst":
        with pytest.raises(PackingError, match="ends too early"):
            unpack(packed[: len(packed) // 2], ending, 1 << 20)
    with pytest.raises(PackingError):
        unpack(packed, ".rar", 10)

"""What the head of a kernel image tells: whether it is signed, and what it is."""

import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.formats.linux_image import version_in
from brave_bridge.core.formats.pe_image import is_signed
from brave_bridge.core.kernels.kernel_package import flavour_of


def image(magic: int = 0x20B, table: tuple[int, int] = (0, 0), count: int = 16) -> bytes:
    header, first = 0x40, {0x10B: 96, 0x20B: 112}.get(magic, 112)
    head = bytearray(1024)
    head[:2], head[header : header + 4] = b"MZ", b"PE\0\0"
    struct.pack_into("<I", head, 0x3C, header)
    struct.pack_into("<H", head, header + 24, magic)
    struct.pack_into("<I", head, header + 24 + first - 4, count)
    struct.pack_into("<II", head, header + 24 + first + 32, *table)
    return bytes(head)


@pytest.mark.parametrize("magic", [0x10B, 0x20B])
def test_a_table_of_certificates_is_a_signature(magic):
    assert is_signed(image(magic)) is False
    assert is_signed(image(magic, (900_000, 1_480))) is True
    assert is_signed(image(magic, (900_000, 1_480), count=4)) is False


def test_what_is_no_such_image_is_not_judged():
    assert is_signed(b"") is None and is_signed(b"kernel image\n" * 64) is None
    assert is_signed(image(0x107)) is None and is_signed(image()[:90]) is None


@given(st.binary(max_size=1100))
def test_no_bytes_make_it_fall_over(head):
    assert is_signed(head) in (None, True, False)
    assert is_signed(b"MZ" + head) in (None, True, False)


def test_flavours_are_what_stands_behind_the_numbers():
    assert flavour_of("6.1.0-28-amd64") == "amd64"
    assert flavour_of("6.12.117+deb13-cloud-amd64") == "cloud-amd64"
    assert flavour_of("6.6.31") == ""


def linux_image(words: bytes, pointer: int = 0x3000) -> bytes:
    head = bytearray(0x200 + pointer) + words + b"\0"
    head[0x202:0x206] = b"HdrS"
    struct.pack_into("<H", head, 0x20E, pointer)
    return bytes(head)


def test_an_image_says_what_it_is():
    words = b"6.11.2-arch1-1 (linux@archlinux) #1 SMP PREEMPT_DYNAMIC"
    assert version_in(linux_image(words)) == "6.11.2-arch1-1"
    assert version_in(linux_image(words, 0)) == ""
    assert version_in(b"kernel image\n" * 99) == "" and version_in(linux_image(words)[:0x208]) == ""


@given(st.binary(max_size=1100))
def test_no_image_makes_it_fall_over(head):
    assert isinstance(version_in(head), str)
    assert isinstance(version_in(linux_image(head, 0x100 + len(head))), str)

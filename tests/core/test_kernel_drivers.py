"""Which devices a kernel drives: depmod's lists, modules themselves, and two kernels compared."""

import struct
from fnmatch import fnmatchcase

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.formats.kernel_modules import (
    aliases_of_module,
    read_aliases,
    read_builtin_aliases,
)
from brave_bridge.core.kernels.drivers import Drivers, driver_changes
from brave_bridge.core.survey.platform import Device

ALIASES = """# Aliases extracted from modules themselves.
alias pci:v00001AF4d00001000sv*sd*bc*sc*i* virtio_pci
alias pci:v0000CAFEd0000000[1-4]sv*sd*bc*sc*i* wave_gauge
alias usb:v1234p*d*dc*dsc*dp*ic*isc*ip*in* tide_usb
alias usb:v1234p0001d*dc*dsc*dp*ic*isc*ip*in* tide_usb_one
alias broken
"""
CARD = "pci:v00001AF4d00001000sv00001AF4sd00000001bc02sc00i00"
GAUGE = "pci:v0000CAFEd00000003sv00000000sd00000000bc09sc80i00"


def module(info: bytes, *, wide: bool = True, order: str = "<") -> bytes:
    """A module file with nothing but a section ``.modinfo``."""
    names = b"\0.modinfo\0.shstrtab\0"
    head = 64 if wide else 52
    at_info, at_names = head, head + len(info)
    table = at_names + len(names)
    row = f"{order}IIQQQQ16x" if wide else f"{order}IIIIII16x"
    rows = [
        struct.pack(row, 0, 0, 0, 0, 0, 0),
        struct.pack(row, 1, 1, 0, 0, at_info, len(info)),
        struct.pack(row, 10, 3, 0, 0, at_names, len(names)),
    ]
    identity = b"\x7fELF" + bytes([2 if wide else 1, 1 if order == "<" else 2]) + b"\x01" * 10
    if wide:
        rest = struct.pack(f"{order}HHIQQQI", 1, 62, 1, 0, 0, table, 0)
        rest += struct.pack(f"{order}HHHHHH", 64, 0, 0, len(rows[0]), 3, 2)
    else:
        rest = struct.pack(f"{order}HHIIIII", 1, 8, 1, 0, 0, table, 0)
        rest += struct.pack(f"{order}HHHHHH", 52, 0, 0, len(rows[0]), 3, 2)
    return identity + rest + info + names + b"".join(rows)


INFO = b"license=GPL\0alias=pci:v0000CAFEd*\0description=alias=x\0alias=\0alias=usb:v1*\0"


@pytest.mark.parametrize("wide", [True, False])
@pytest.mark.parametrize("order", ["<", ">"])
def test_a_module_says_what_it_is_for(wide, order):
    found = list(aliases_of_module(module(INFO, wide=wide, order=order), "wave-gauge"))
    assert found == [("pci:v0000CAFEd*", "wave_gauge"), ("usb:v1*", "wave_gauge")]


@given(st.binary(max_size=300), st.integers(0, 400), st.binary(max_size=8))
def test_what_is_no_module_says_nothing(content, at, over):
    whole = module(INFO)
    damaged = whole[:at] + over + whole[at + len(over) :]
    for given_content in (content, damaged, whole[:at]):
        list(aliases_of_module(given_content, "m"))


def test_the_lists_of_depmod():
    assert len(list(read_aliases(ALIASES))) == 4
    builtin = b"pcieport.alias=pci:v*\0pcieport.license=GPL\0.alias=\0odd\0"
    assert list(read_builtin_aliases(builtin)) == [("pci:v*", "pcieport")]


def test_the_modules_for_a_device():
    drivers = Drivers(read_aliases(ALIASES))
    assert drivers.of(CARD) == ("virtio_pci",) and drivers.of(GAUGE) == ("wave_gauge",)
    both = drivers.of("usb:v1234p0001d0100dc00dsc00dp00ic03isc01ip01in00")
    assert set(both) == {"tide_usb", "tide_usb_one"}
    assert drivers.of("pci:v00008086d00000000") == () and not Drivers(())


WORDS = st.text("ab*?[]", min_size=1, max_size=6)


@given(st.lists(WORDS, max_size=12), st.text("ab", max_size=6))
def test_no_pattern_is_missed(patterns, modalias):
    drivers = Drivers((pattern, pattern) for pattern in patterns)
    expected = {pattern for pattern in patterns if fnmatchcase(modalias, pattern)}
    assert set(drivers.of(modalias)) == expected


def test_what_another_kernel_gains_and_loses():
    devices = (
        Device("0000:00:03.0", CARD, "virtio-pci"),
        Device("0000:00:04.0", GAUGE, ""),
        Device("0000:00:05.0", "pci:v00008086d00000000", ""),
    )
    here = Drivers([("pci:v00001AF4d00001000*", "virtio_pci")])
    there = Drivers([("pci:v0000CAFEd0000000[1-4]*", "wave_gauge")])
    lost, gained = driver_changes(devices, here, there)
    assert (lost.device, lost.bound, lost.gained) == ("0000:00:03.0", "virtio-pci", False)
    assert (gained.modules, gained.gained) == (("wave_gauge",), True)
    assert not list(driver_changes(devices, here, here))

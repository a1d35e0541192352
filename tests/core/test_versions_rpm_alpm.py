"""Version ordering of rpm and alpm, held against the systems' own comparers."""

import ctypes
import ctypes.util
import shutil
import subprocess
from functools import cache

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brave_bridge.core.packages.relation import holds
from brave_bridge.core.versions import alpm, rpm

# Every listed version is newer than the one before it.
RPM_ASCENDING = [
    "1.0~rc1-1",
    "1.0~rc2-1",
    "1.0-1",
    "1.0^git1-1",
    "1.0^git2-1",
    "1.0a-1",
    "1.0.1-1",
    "1.2-1",
    "1.10-1",
    "2-1",
    "2-1.fc1",
    "2-2",
    "1:0.1-1",
]
ALPM_ASCENDING = [
    "1.0a-1",
    "1.0alpha-1",
    "1.0b-1",
    "1.0beta-1",
    "1.0p-1",
    "1.0pre-1",
    "1.0rc-1",
    "1.0-1",
    "1.0-2",
    "1.0.a-1",
    "1.0.1-1",
    "1.1-1",
    "1.10-1",
    "2-1",
    "1:0.1-1",
]

_PART = r"[0-9][a-z0-9]{0,3}([.+_~^]?[a-z0-9]{1,3}){0,4}"
RPM_VERSIONS = st.from_regex(
    rf"([0-9]{{1,2}}:)?{_PART}-[0-9]{{1,2}}(\.[a-z0-9]{{1,3}})?", fullmatch=True
)
ALPM_VERSIONS = st.from_regex(
    r"([0-9]{1,2}:)?[0-9][a-z0-9]{0,3}([._+]?[a-z0-9]{1,3}){0,4}(-[0-9]{1,2})?", fullmatch=True
)


@pytest.mark.parametrize(
    ("family", "ascending"), [(rpm, RPM_ASCENDING), (alpm, ALPM_ASCENDING)], ids=["rpm", "alpm"]
)
def test_the_order_of_the_manual_page(family, ascending):
    assert sorted(ascending, key=family.version_key) == ascending


@pytest.mark.parametrize("family", [rpm, alpm], ids=["rpm", "alpm"])
def test_what_is_given_on_one_side_only_is_not_compared(family):
    have = family.version_key("1.2-3")
    assert holds(have, "=", family.version_key("1.2"))
    assert not holds(have, ">", family.version_key("1.2"))
    assert holds(have, ">=", family.version_key("1.2-3"))
    assert not holds(have, ">=", family.version_key("1.2-4"))


def _sign(family, left: str, right: str) -> int:
    a, b = family.version_key(left), family.version_key(right)
    return (a > b) - (a < b)


@settings(max_examples=20, deadline=None)
@given(st.lists(st.tuples(RPM_VERSIONS, RPM_VERSIONS), min_size=20, max_size=20))
def test_agrees_with_rpm(pairs):
    if shutil.which("rpm") is None:
        pytest.skip("rpm is not installed")
    macros = [f"%{{lua: print(rpm.vercmp('{a}', '{b}'))}}" for a, b in pairs]
    done = subprocess.run(
        ["rpm", "--eval", "\n".join(macros)], capture_output=True, text=True, check=True
    )
    assert [int(word) for word in done.stdout.split()] == [_sign(rpm, a, b) for a, b in pairs]


@settings(max_examples=300, deadline=None)
@given(ALPM_VERSIONS, ALPM_VERSIONS)
def test_agrees_with_alpm(left, right):
    assert libalpm_sign(left, right) == alpm_sign(left, right)


ODD = st.text("01aAz.._-:+~^", max_size=8)


@settings(max_examples=1_000, deadline=None)
@given(ODD, ODD)
def test_agrees_with_alpm_on_odd_versions(left, right):
    assert libalpm_sign(left, right) == alpm_sign(left, right), (left, right)


@cache
def libalpm() -> ctypes.CDLL | None:
    name = ctypes.util.find_library("alpm")
    return ctypes.CDLL(name) if name else None


def libalpm_sign(left: str, right: str) -> int:
    """How the system's own comparer orders two versions."""
    library = libalpm()
    if library is None:
        pytest.skip("libalpm is not installed")
    found = library.alpm_pkg_vercmp(left.encode(), right.encode())
    return (found > 0) - (found < 0)


def alpm_sign(left: str, right: str) -> int:
    """How our keys order two versions, a release that only one has left out."""
    a, b = alpm.version_key(left), alpm.version_key(right)
    if len(a) != len(b):
        a, b = a[:1], b[:1]
    return (a > b) - (a < b)


@given(st.text(max_size=30))
def test_every_string_has_a_key(text):
    assert rpm.version_key(text) <= rpm.version_key(text)
    assert alpm.version_key(text) <= alpm.version_key(text)

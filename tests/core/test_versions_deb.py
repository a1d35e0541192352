"""Version ordering, held against the system's own dpkg and against its own laws."""

import shutil
import subprocess

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brave_bridge.core.versions.deb import newest, upstream_series, version_key

# Every listed version is newer than the one before it.
ASCENDING = [
    "1.0~~",
    "1.0~~a",
    "1.0~",
    "1.0~rc1-1",
    "1.0",
    "1.0-0.1",
    "1.0-1~bpo1",
    "1.0-1",
    "1.0-1+b1",
    "1.0a",
    "1.0+dfsg-1",
    "1.0.0",
    "1.2",
    "1.10",
    "2.0",
    "10.0",
    "1:0.1",
    "2:0",
]

VERSIONS = st.from_regex(r"([0-9]{1,2}:)?[0-9][a-z0-9.+~]{0,8}(-[a-z0-9.+~]{1,6})?", fullmatch=True)


def test_the_order_of_the_manual_page():
    assert sorted(ASCENDING, key=version_key) == ASCENDING
    assert newest(ASCENDING) == "2:0"


@pytest.mark.parametrize(
    ("left", "right"), [("1.0", "1.00"), ("1.0-0", "1.0"), ("0:1", "1"), ("1.a", "1.a0")]
)
def test_what_is_equal(left, right):
    assert version_key(left) == version_key(right)


@settings(max_examples=250, deadline=None)
@given(VERSIONS, VERSIONS)
def test_agrees_with_dpkg(left, right):
    if shutil.which("dpkg") is None:
        pytest.skip("dpkg is not installed")
    operator = (
        "lt"
        if version_key(left) < version_key(right)
        else ("eq" if version_key(left) == version_key(right) else "gt")
    )
    done = subprocess.run(
        ["dpkg", "--compare-versions", left, operator, right], capture_output=True, check=False
    )
    assert done.returncode == 0, f"{left} {operator} {right}: {done.stderr.decode()}"


@given(st.text(max_size=30))
def test_every_string_has_a_key(text):
    assert isinstance(version_key(text), bytes)


def test_major_series():
    assert [upstream_series(v) for v in ("1:15.3-2", "16.1", "2024.1", "x")] == [
        "15",
        "16",
        "2024",
        "",
    ]
    assert [upstream_series(v, 2) for v in ("1:10.5.15-0+deb11u1", "15+248", "9", "")] == [
        "10.5",
        "15",
        "9",
        "",
    ]

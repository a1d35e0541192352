"""Locks of dnf5, and lines of ours in files of others: put in and taken out, nothing lost."""

import tomllib
from contextlib import suppress

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.formats.dnf5_locks import with_range, without_comment
from brave_bridge.core.formats.marked_part import part_in, with_part, without_part
from brave_bridge.core.formats.package_locks import (
    OWN_NAME,
    LocksFault,
    dnf5_version_locks,
    dnf_version_locks,
    locked_names,
    pacman_ignored,
)
from brave_bridge.core.kernels.kernel_package import IMAGE, KernelPackage
from brave_bridge.core.kernels.series_hold import CannotHold
from brave_bridge.families.rpm.kernel_hold import RpmKernelHolding
from brave_bridge.families.rpm.places import LOCKS_5
from tests.support.facts import facts, package

PART = "IgnorePkg = linux\n# why\n"
THEIRS = """# by the crew
version = "1.0"

[[packages]]
name = "gauge"
comment = "until the gauge is mended"
[[packages.conditions]]
key = "evr"
comparator = "="
value = "0:2.1-1"
"""


@given(st.text(alphabet=st.sampled_from("[options]\nab #=\r\t\x0c"), max_size=200))
def test_lines_of_ours_are_taken_out_whole_again(text):
    whole = text if not text or text.endswith("\n") else text + "\n"
    there = with_part(text, PART, OWN_NAME)
    assert part_in(there, OWN_NAME) == PART and without_part(there, OWN_NAME) == whole
    assert with_part(there, PART, OWN_NAME) == there
    assert without_part(text, OWN_NAME) == text and part_in(text, OWN_NAME) == ""
    if any(line.strip() == "[options]" for line in text.split("\n")):
        within = with_part(text, PART, OWN_NAME, behind="[options]")
        assert part_in(within, OWN_NAME) == PART and without_part(within, OWN_NAME) == whole


def test_lines_of_ours_stand_behind_the_line_that_they_belong_to():
    text = "[options]\nColor\n[core]\nServer = x\n"
    there = with_part(text, PART, OWN_NAME, behind="[options]")
    assert there.splitlines()[0] == "[options]" and there.splitlines()[-1] == "Server = x"
    locks = {(lock.pattern, lock.where) for lock in pacman_ignored(there, "/etc/pacman.conf")}
    assert locks == {("linux", f"/etc/pacman.conf ({OWN_NAME})")}
    with pytest.raises(ValueError, match=r"no line \[options\]"):
        with_part("[core]\n", PART, OWN_NAME, behind="[options]")


def test_a_part_that_was_cut_off_is_nobody_s():
    text = with_part("", "kernel-0:6.1.*-*.*", OWN_NAME).splitlines(keepends=True)
    cut_off = "".join(text[:-1])
    assert without_part(cut_off, OWN_NAME) == cut_off
    (lock,) = dnf_version_locks(cut_off, "/locks")
    assert lock.where == "/locks:2"


def test_locks_of_dnf5_are_ranges_beside_those_of_others():
    text = with_range(THEIRS, ("kernel-core", "kernel"), "0:6.1", "0:6.2~~", f"{OWN_NAME}: 6.1")
    assert text.startswith(THEIRS)
    ours = tomllib.loads(text)["packages"][1]
    assert [(c["comparator"], c["value"]) for c in ours["conditions"]] == [
        (">=", "0:6.1"),
        ("<", "0:6.2~~"),
    ]
    where = {lock.pattern: lock.where for lock in dnf5_version_locks(text, LOCKS_5)}
    assert where["gauge"] == LOCKS_5 and OWN_NAME in where["kernel-core"]
    assert without_comment(text, OWN_NAME).strip() == THEIRS.strip()
    assert [name for name, _ in locked_names(without_comment(text, OWN_NAME))] == ["gauge"]


def test_a_machine_with_dnf5_is_held_by_its_own_locks():
    kernel = KernelPackage("kernel-core", "6.11.4-301", "6.11.4-301", IMAGE, siblings=("kernel",))
    here = facts(packages=(package("dnf5", "5.2.6"), package("kernel-core", "6.11.4-301")))
    file = RpmKernelHolding().hold(here, {}, "6.11", (kernel,))
    assert file.path == LOCKS_5
    assert [name for name, _ in locked_names(file.text)] == ["kernel-core", "kernel"]
    gone = RpmKernelHolding().let_go({LOCKS_5: file.text}, f"{LOCKS_5} ({OWN_NAME})")
    assert not list(locked_names(gone.text)) and gone.text


@pytest.mark.parametrize("text", ["[[", "packages = 1", "packages = [1]"])
def test_locks_that_cannot_be_read_are_left_as_they_are(text):
    with pytest.raises(CannotHold, match="cannot be read"):
        RpmKernelHolding().let_go({LOCKS_5: text}, f"{LOCKS_5} ({OWN_NAME})")


@pytest.mark.parametrize("text", ["[[", "packages = 1", "[[packages]]\nname = 7\n", "a = 'x"])
def test_locks_that_dnf5_would_not_read_break_nothing(text):
    with suppress(LocksFault):
        assert list(locked_names(text)) == []
    with suppress(LocksFault):
        written = with_range(text, ("kernel",), "0:6.1", "0:6.2~~", OWN_NAME)
        assert "kernel" in [name for name, _ in locked_names(written)]

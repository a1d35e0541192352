"""A catalogue file that is wrong is told with its line, and nothing else suffers."""

import re
from pathlib import Path

import pytest

from brave_bridge.core.releases.catalogue import (
    Channel,
    Keyring,
    LegRule,
    MovedArchive,
    Release,
    ReleaseLine,
    Scale,
    SplitComponent,
    Successor,
)
from brave_bridge.core.releases.checking import check_line
from brave_bridge.core.releases.conditions import (
    KernelSeries,
    KnownDevice,
    KnownIssue,
    LegTask,
    Needs,
)

GOOD = """\
id = "lagoon"
name = "Lagoon"
family = "deb"
os_ids = ["lagoon"]
rule = "one after the other"

[[releases]]
key = "1"
version = "1"
codename = "reed"
released = 2024-01-01
support_ends = 2027-01-01

[[releases]]
key = "2"
version = "2"
codename = "rush"

[[legs]]
start = "1"
end = "2"
"""


def test_a_good_file_has_no_faults():
    line, faults = check_line(GOOD)
    assert line.id == "lagoon" and not faults


@pytest.mark.parametrize(
    ("old", "new", "number", "words"),
    [
        ('rule = "one', "rule = one", 5, "Invalid value"),
        ("2027-01-01", "2027-13-01", 12, "2027-13-01 is no day"),
        ("2027-01-01", '"in spring"', 12, "support_ends"),
        ('codename = "rush"', "codename = 7", 17, "codename"),
        ('version = "2"\n', "", 14, "version"),
        ('end = "2"', 'end = "9"', 19, "1 to 9 names no release"),
    ],
)
def test_a_fault_is_named_with_its_line_and_the_file_is_left_out(old, new, number, words):
    line, faults = check_line(GOOD.replace(old, new, 1))
    assert line is None and len(faults) == 1 and faults[0].fatal
    assert words in faults[0].why, faults
    assert faults[0].line == number, faults


def test_unknown_fields_are_told_and_the_rest_holds():
    spelled = GOOD.replace('codename = "rush"', 'codename = "rush"\nlong_therm = true')
    line, faults = check_line(spelled + 'notez = ["x"]\n')
    assert line.id == "lagoon" and not any(fault.fatal for fault in faults)
    assert [(f.line, f.why.partition(":")[0]) for f in faults] == [
        (18, "releases[1].long_therm"),
        (23, "legs[0].notez"),
    ]


def test_the_page_explains_every_field():
    page = (Path(__file__).parents[2] / "docs/catalogue.md").read_text(encoding="utf-8")
    explained = set(re.findall(r"`([a-z_]+)`", page))
    records = (
        ReleaseLine,
        Release,
        LegRule,
        Needs,
        KnownDevice,
        KnownIssue,
        LegTask,
        KernelSeries,
        Keyring,
        MovedArchive,
        SplitComponent,
        Channel,
        Successor,
        Scale,
    )
    assert {field for record in records for field in record.__struct_fields__} <= explained


@pytest.mark.parametrize(
    "sign", ['boots_with = "quiet("', 'settings = [{ path = "/etc/a", has = "[" }]']
)
def test_an_expression_that_is_none_is_told_before_a_survey_meets_it(sign):
    issue = f'issues = [{{ id = "odd", title = "odd", {sign} }}]\n'
    line, faults = check_line(GOOD + issue)
    assert line is None and len(faults) == 1
    assert "issue odd" in faults[0].why and "no regular expression" in faults[0].why

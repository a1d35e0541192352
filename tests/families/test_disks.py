"""What is read of disks, and that they are known again under another name."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.formats.disk_health import health_of
from brave_bridge.core.proof.around import Around
from brave_bridge.core.proof.topics import disks as comparing
from brave_bridge.families.baseline import disks as topic
from brave_bridge.families.topics import storage
from brave_bridge.machines.queries import Answer, Answers, Seen
from tests.support.facts import facts

SECTORS = str((1 << 40) // 512)


def seen_of(*disks: dict[str, str]) -> Seen:
    """A first round that saw disks, each its name and the contents of its files in /sys/block."""
    contents = {
        f"/sys/block/{disk['name']}/{path}": value.encode()
        for disk in disks
        for path, value in ({"size": SECTORS} | disk).items()
        if path != "name"
    }
    return Seen(contents=contents)


def read(seen: Seen):
    found, _ = storage.disks(seen, runs=True)
    return topic.read(facts(disks=found, kind="running"), Seen())


def compared(before: Seen, after: Seen):
    topics = read(before), read(after)
    return list(comparing.compare(*topics, Around({}, {})))


def test_disks_that_change_their_names_are_the_same_disks():
    one, two = {"device/wwid": "naa.5000c1"}, {"device/wwid": "naa.5000c2"}
    before = seen_of({"name": "sda"} | one, {"name": "sdb"} | two)
    after = seen_of({"name": "sda"} | two, {"name": "sdb"} | one)
    assert [point.verdict for point in compared(before, after)] == ["same", "same"]


def test_a_disk_that_is_gone_or_offline_is_worse():
    well = {"wwid": "eui.01", "device/state": "live"}
    before = seen_of({"name": "nvme0n1"} | well)
    (gone,) = compared(before, seen_of())
    assert (gone.subject, gone.verdict, gone.kind) == ("disk eui.01", "regression", "data")
    dead = seen_of({"name": "nvme0n1"} | well | {"device/state": "dead"})
    (point,) = compared(before, dead)
    assert point.verdict == "regression" and point.after == "the kernel calls it dead"
    (mended,) = compared(dead, before)
    assert mended.verdict == "better"


def test_a_disk_to_which_one_way_is_lost_is_worse():
    one = {"device/wwid": "naa.5000c1", "device/state": "running"}
    lost = one | {"device/state": "offline"}
    both = seen_of({"name": "sda"} | one, {"name": "sdb"} | one)
    (point,) = compared(both, seen_of({"name": "sda"} | lost, {"name": "sdb"} | one))
    assert point.verdict == "regression" and point.after == "the kernel calls it offline"


def test_a_stick_and_what_is_made_of_disks_are_no_disks_of_their_own():
    seen = seen_of({"name": "sdb", "removable": "1"}, {"name": "dm-0"}, {"name": "md0"})
    assert read(seen).values == {}


def test_only_disks_that_know_their_health_are_asked_and_none_is_woken():
    seen = seen_of({"name": "sda"}, {"name": "vda"}, {"name": "nvme0n1"}, {"name": "dm-0"})
    (asked,) = [query for query in storage.further(seen) if isinstance(query, Answers)]
    assert [command[-1] for command in asked.commands] == ["/dev/nvme0n1", "/dev/sda"]
    assert all("--nocheck=standby" in command for command in asked.commands)
    command = asked.commands[1]
    seen.answers[command] = Answer(8, json.dumps({"smart_status": {"passed": False}}))
    found, _ = storage.disks(seen, runs=True)
    assert {disk.name: disk.health for disk in found}["sda"] == "failing"


@pytest.mark.parametrize(
    "output", ["", "{", "[]", "null", '{"smart_status": []}', '{"smart_status": {"passed": 1}}']
)
def test_a_disk_that_does_not_tell_is_not_called_well(output):
    assert health_of(output) == ""


@given(st.text())
def test_no_output_breaks_the_reading(output):
    assert health_of(output) in ("", "passed", "failing")

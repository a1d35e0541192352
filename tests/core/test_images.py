"""Profiles of image bundles: how they differ, what they change, whom they leave out."""

import json

import msgspec
import pytest

from brave_bridge.core.formats.progress import percent_in
from brave_bridge.core.images.changes import (
    ADDED,
    DOWNGRADED,
    DROPPED,
    SAME,
    UPGRADED,
    InstalledComponent,
    component_changes,
    profile_difference,
    too_old,
    undriven,
)
from brave_bridge.core.images.manifest import ManifestFault, read_manifest
from brave_bridge.core.survey.platform import Device
from tests.support.bundles import CONTENTS, manifest_of

MANIFEST = read_manifest(json.dumps(manifest_of()).encode())
CARD = "pci:v00001209d00000002sv00sd00bc02sc00i00"


def test_profiles_have_sizes_and_differ():
    assert MANIFEST.size_of("full") == sum(map(len, CONTENTS.values()))
    only_full, only_bare = profile_difference(MANIFEST, "full", "bare")
    assert [one.name for one in only_full] == ["net-tide", "tools"] and only_bare == ()
    with pytest.raises(ManifestFault, match="it has full, bare"):
        MANIFEST.of("tiny")


def test_each_component_is_told_by_what_becomes_of_it():
    installed = (
        InstalledComponent("base", "8.4~rc2"),
        InstalledComponent("kernel", "8.4"),
        InstalledComponent("net-tide", "9"),
        InstalledComponent("wave-agent", "1.2", "Estuary"),
    )
    found = {
        c.name: (c.kind, c.old, c.new) for c in component_changes(installed, MANIFEST.of("full"))
    }
    assert found == {
        "base": (UPGRADED, "8.4~rc2", "8.4"),
        "kernel": (SAME, "8.4", "8.4"),
        "net-tide": (DOWNGRADED, "9", "8.4"),
        "tools": (ADDED, "", "8.4"),
        "wave-agent": (DROPPED, "1.2", ""),
    }
    third = [c for c in component_changes(installed, MANIFEST.of("bare")) if c.maker]
    assert [(c.name, c.maker) for c in third] == [("wave-agent", "Estuary")]


def test_a_device_that_would_lose_its_driver_is_named_with_who_has_one():
    devices = (
        Device("0000:01:00.0", CARD, "tide_net"),
        Device("0000:02:00.0", "pci:v00008086d00001234sv00", "builtin_disk"),
        Device("0000:03:00.0", "pci:v00001209d00000009sv00", "tide_net"),
        Device("1-4", "usb:v1209p0001", ""),
    )
    assert [one.device for one in undriven(MANIFEST, "full", devices)] == ["0000:03:00.0"]
    lost = list(undriven(MANIFEST, "bare", devices))
    assert [(one.device, one.profiles) for one in lost] == [
        ("0000:01:00.0", ("full",)),
        ("0000:03:00.0", ()),
    ]


def test_what_is_too_old_for_a_bundle_is_named():
    manifest = msgspec.structs.replace(MANIFEST, least={"base": "8.4~rc2", "firmware": "3"})
    here = (InstalledComponent("base", "8.4~rc1"), InstalledComponent("kernel", "6.6"))
    assert list(too_old(manifest, here)) == [
        "it needs base 8.4~rc2 at least, here is 8.4~rc1",
        "it needs firmware 3 at least, and there is no firmware here",
    ]
    newer = (InstalledComponent("base", "8.4"), InstalledComponent("firmware", "3"))
    assert list(too_old(manifest, newer)) == []


@pytest.mark.parametrize(
    ("line", "step"),
    [
        ("42% base", (42.0, "base")),
        (" 7.5%  ", (7.5, "")),
        ("100% done", (100.0, "done")),
        ("101% done", None),
        ("done 42%", None),
        ("", None),
    ],
)
def test_progress_is_read_from_a_line(line, step):
    assert percent_in(line) == step

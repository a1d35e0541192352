"""What a person in a rescue shell is told who names a folder that holds no system."""

import json

from brave_bridge.core.formats.lsblk import read_block_devices
from brave_bridge.core.ways_back.mounting_advice import mounting_advice

DEVICES = [
    {"path": "/dev/vda", "fstype": None, "mountpoints": [None]},
    {"path": "/dev/vda1", "fstype": "vfat", "size": "512M", "mountpoints": [None]},
    {
        "path": "/dev/vda2",
        "fstype": "btrfs",
        "label": "tides",
        "size": "40G",
        "mountpoints": [None],
    },
    {"path": "/dev/vdb1", "fstype": "LVM2_member", "mountpoints": [None]},
    {"path": "/dev/vdb2", "fstype": "crypto_LUKS", "mountpoints": [None]},
    {"path": "/dev/sr0", "fstype": "iso9660", "mountpoints": ["/run/medium"]},
    {"path": "/dev/vdc", "fstype": "ext4", "mountpoints": ["/"]},
]


def test_what_can_be_mounted_or_opened_is_named():
    devices = read_block_devices(json.dumps({"blockdevices": DEVICES}))
    assert mounting_advice("/mnt", (), devices) == (
        "mount the system's root file system and name its folder; seen here: "
        "mount /dev/vda2 /mnt (btrfs, tides, 40G); "
        "/dev/vdb1 is of a volume group: vgchange -ay; "
        "/dev/vdb2 is encrypted: cryptsetup open /dev/vdb2 NAME"
    )


def test_the_top_of_a_file_system_leads_to_the_subvolume_that_holds_a_system():
    words = mounting_advice("/mnt", ("@", "@before"), ())
    assert words == "there is a system in @ below it: name /mnt/@ (or @before)"


def test_what_is_no_listing_names_nothing():
    for text in ("", "[]", '{"blockdevices": 3}', '{"blockdevices": [{"path": 1}]}'):
        assert read_block_devices(text) == ()
    assert mounting_advice("/mnt", (), ()).endswith("name its folder")

"""Owners that the package database names: found in its own file, held against those there are."""

from brave_bridge.families.deb.overrides import unknown_owners

USERS = "root:x:0:0::/root:/bin/sh\nisla:x:1001:1001::/home/isla:/bin/sh\n"
GROUPS = "root:x:0:\nharbour:x:1002:isla\n"


def test_only_who_is_not_there_is_told_with_file_and_line():
    overrides = (
        "root harbour 2755 /usr/bin/tides\n"
        "nobodyknows root 4755 /usr/bin/passwd\n"
        "root lost 640 /etc/tides\n"
        "#1234 #99 640 /etc/numbers\n"
        "half a line\n\n"
    )
    first, second = unknown_owners(overrides, USERS, GROUPS)
    assert first.startswith("/var/lib/dpkg/statoverride:2: user nobodyknows (")
    assert "--remove /usr/bin/passwd" in first
    assert second.startswith("/var/lib/dpkg/statoverride:3: group lost (")

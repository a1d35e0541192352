"""Config migrations, read from scripts as packagers and their tools write them."""

from brave_bridge.core.formats.maintainer_scripts import Migration, migrations_in

POSTINST = """#!/bin/sh
set -e
if [ "$1" = configure ] && dpkg --compare-versions "$2" lt-nl 1.22~; then
    convert-settings
fi
# Automatically added
dpkg-maintscript-helper mv_conffile /etc/webd.conf /etc/webd/webd.conf 1.20-1\\~ webd -- "$@"
dpkg-maintscript-helper rm_conffile \\
    /etc/webd/old.conf 1.19~ -- "$@"
if dpkg --compare-versions "$2" le "1:2.0"; then :; fi
if dpkg --compare-versions "$2" lt "$KNOWN"; then :; fi
"""


def test_helpers_and_guards_are_found_once_each():
    found = list(migrations_in([POSTINST, POSTINST]))
    assert found == [
        Migration("mv_conffile", "/etc/webd.conf", "/etc/webd/webd.conf"),
        Migration("rm_conffile", "/etc/webd/old.conf"),
        Migration("guard", "1.22~"),
        Migration("guard", "1:2.0"),
    ]
    assert [one.words for one in found][:3] == [
        "moves /etc/webd.conf to /etc/webd/webd.conf",
        "removes /etc/webd/old.conf",
        "does something for versions before 1.22~",
    ]
    assert list(migrations_in(["#!/bin/sh\nexit 0\n", ""])) == []

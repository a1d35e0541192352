"""Formats: stanzas, package databases, archive descriptions, apt's output, foreign text."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.formats.apt_output import (
    change_summary,
    status_line,
)
from brave_bridge.core.formats.apt_release import read_archive_release
from brave_bridge.core.formats.apt_status_db import read_status
from brave_bridge.core.formats.deb822 import FormatError, stanza_text, stanzas
from brave_bridge.core.formats.fault_lines import fault_lines
from brave_bridge.core.formats.os_release import read_os_release
from brave_bridge.core.formats.text import byte_size, counted, one_line, plain

FIELD_NAMES = st.from_regex(r"[A-Z][A-Za-z-]{0,12}", fullmatch=True)
LINE = st.text(st.characters(codec="ascii", min_codepoint=33, max_codepoint=126), min_size=1)
VALUES = st.lists(LINE, min_size=1, max_size=4).map("\n".join)


@given(st.lists(st.dictionaries(FIELD_NAMES, VALUES, min_size=1, max_size=5), max_size=4))
def test_stanzas_survive_writing_and_reading(made):
    text = "\n".join(stanza_text(fields) for fields in made)
    assert list(stanzas(text)) == made


@pytest.mark.parametrize("text", ["no field here", " continues nothing", "A: 1\nno colon"])
def test_a_damaged_stanza_is_named(text):
    with pytest.raises(FormatError, match="status"):
        list(stanzas(text, where="status"))


def test_a_giant_stanza_is_refused():
    with pytest.raises(FormatError, match="characters"):
        list(stanzas("A: " + "x" * 5_000_000))


def test_the_package_database():
    installed, broken, gone = read_status(
        "Package: a\nStatus: hold ok installed\nVersion: 1\nEssential: yes\nInstalled-Size: 12\n"
        "Depends: b (>= 1), c | d\nConffiles:\n /etc/a abc\n /etc/old def obsolete\n"
        " /etc/new newconffile\n\n"
        "Package: b\nStatus: install ok half-configured\nVersion: 2\n\n"
        "Package: c\nStatus: deinstall ok config-files\nVersion: 3\n"
    )
    assert installed.is_held and installed.essential and not installed.is_broken
    assert installed.conffiles == {"/etc/a": "abc"}
    assert installed.depends == "b (>= 1), c | d"
    assert broken.is_broken and broken.is_present
    assert not gone.is_present and not gone.is_broken


def test_an_archive_description_inside_its_signature():
    text = (
        "-----BEGIN PGP SIGNED MESSAGE-----\nHash: SHA512\n\nOrigin: Quayside\nSuite: stable\n"
        "Codename: diamond\nVersion: 7\nSHA256:\n abc 12 main/binary-amd64/Packages\n"
        "-----BEGIN PGP SIGNATURE-----\nxyz\n-----END PGP SIGNATURE-----\n"
    )
    release = read_archive_release(text)
    assert (release.origin, release.codename, release.version) == ("Quayside", "diamond", "7")
    assert release.hashes == {"main/binary-amd64/Packages": ("abc", 12)}
    with pytest.raises(FormatError):
        read_archive_release("<html>not found</html>")


SUMMARY = """Reading package lists...
The following packages will be REMOVED:
   libold1 (1.0-1)
The following NEW packages will be installed:
   libnew2:i386 (2.0-1)
The following packages have been kept back:
   held (1 => 2)
The following packages will be upgraded:
   adduser (3.118+deb11u1 => 3.134)
   apt (2.2.4 => 2.6.1)
2 upgraded, 1 newly installed, 1 to remove and 1 not upgraded.
   not a row (1 => 2)
"""


def test_the_lists_that_apt_prints():
    summary = change_summary(SUMMARY)
    assert [(r.name, r.old, r.new) for r in summary.upgraded] == [
        ("adduser", "3.118+deb11u1", "3.134"),
        ("apt", "2.2.4", "2.6.1"),
    ]
    assert [(r.name, r.old, r.new) for r in summary.new] == [("libnew2:i386", "", "2.0-1")]
    assert [(r.name, r.old) for r in summary.removed] == [("libold1", "1.0-1")]
    assert [r.name for r in summary.kept_back] == ["held"]


@pytest.mark.parametrize(
    ("line", "expected"),
    [
        ("dlstatus:3:93.3:Retrieving file 3 of 3", ("fetch", "3", 93.3, "Retrieving file 3 of 3")),
        ("pmstatus:libc6:amd64:12.5:Unpacking", ("change", "libc6:amd64", 12.5, "Unpacking")),
        ("pmerror:/x.deb:50:went wrong: badly", ("error", "/x.deb", 50.0, "went wrong: badly")),
    ],
)
def test_status_lines(line, expected):
    found = status_line(line)
    assert (found.kind, found.subject, found.percent, found.text) == expected


@pytest.mark.parametrize("line", ["", "hello", "pmstatus:a", "pmstatus:a:b:c", "pmstatus:::"])
def test_what_is_no_status_line(line):
    assert status_line(line) is None


def test_faults_in_an_output():
    output = (
        "Get:1 x\nErr:2 http://a.example/q diamond InRelease\n  404  Not Found\nE: bad\nE: bad\n"
    )
    assert fault_lines(output) == [
        "Err:2 http://a.example/q diamond InRelease 404  Not Found",
        "E: bad",
    ]
    failing = "dpkg: error processing package tide (--configure):\n script gave 1\nSetting up x\n"
    assert fault_lines(failing) == [
        "dpkg: error processing package tide (--configure): script gave 1"
    ]


def test_os_release_is_read_without_running_anything():
    values = read_os_release(
        'ID=quayside\nPRETTY_NAME="Quayside $(reboot) 7"\nBAD="x\n# c\nX Y=1\n'
    )
    assert values == {"ID": "quayside", "PRETTY_NAME": "Quayside $(reboot) 7"}


@given(st.text(max_size=200))
def test_nothing_that_steers_a_terminal_passes(text):
    shown = plain(text + "\x1b[31mred\x1b]0;title\x07\x9b2J\u202eback")
    assert not any(ord(c) < 32 and c not in "\n\t" for c in shown)
    assert not any(0x7F <= ord(c) <= 0x9F or c in "\u202e\u2066" for c in shown)
    assert "red" in shown and "title" not in shown


def test_a_redrawn_line_shows_its_last_state():
    assert plain("10%\r50%\r100%\nnext\r\n") == "100%\nnext\n"
    assert one_line("a\n  b\x00") == "a b\N{REPLACEMENT CHARACTER}"


def test_sizes_and_counts_in_words():
    assert [byte_size(n) for n in (0, 999, 4_100, 17_500_000, 1_240_000_000, -5_000)] == [
        "0 B",
        "999 B",
        "4.1 kB",
        "17.5 MB",
        "1.24 GB",
        "-5.0 kB",
    ]
    assert [counted(n, "path") for n in (0, 1, 2)] == ["no paths", "1 path", "2 paths"]

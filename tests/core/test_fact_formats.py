"""Readers of what machines tell: real samples, and any junk without an error."""

import contextlib
import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.estimate import Speeds, Work, estimate, measured, range_words, read_window
from brave_bridge.core.formats import (
    accounts,
    alpm_database,
    apt_preferences,
    distro_info,
    fstab,
    guests,
    ini_sources,
    package_logs,
    proc,
    systemd,
)
from brave_bridge.core.formats.apt_output import fetched
from brave_bridge.core.formats.deb822 import FormatError
from brave_bridge.core.formats.rpm_database import read_header, read_rpm_database
from brave_bridge.core.packages.dependencies import unmet_dependencies
from brave_bridge.core.packages.updates import Offer, pending_updates
from brave_bridge.core.survey.processor import level_of, missing_for
from brave_bridge.machines.standin.other_roots import rpm_header
from tests.support.facts import V2_FLAGS, package


def test_files_of_proc():
    mounts = proc.read_mounts(
        "/dev/sda2 / ext4 rw 0 0\nLABEL=x /srv/a\\040b xfs ro,nodev 0 0\nbad\n"
    )
    assert [(m.path, m.is_read_only) for m in mounts] == [("/", False), ("/srv/a b", True)]
    assert proc.memory_bytes("MemTotal:       1024 kB\nMemFree: 1 kB\n") == 1 << 20
    assert proc.read_modules("gauge 16384 0 - Live 0x0 (OE)\next4 1 2 - Live 0x0\n") == [
        ("gauge", "OE"),
        ("ext4", ""),
    ]
    assert proc.seconds_up("1234.56 99.0\n") == 1234 and proc.seconds_up("") == 0
    maps = (
        "7f00-7f01 r-xp 0 08:02 7 /usr/lib/libtls.so.1 (deleted)\n"
        "7f02-7f03 rw-p 0 0:1 7 /dev/shm/x (deleted)\n"
        "7f04-7f05 r-xp 0 08:02 8 /usr/bin/a\n"
    )
    assert proc.deleted_files(maps) == ["/usr/lib/libtls.so.1"]


def test_listening_sockets_of_both_families():
    text = (
        "  sl  local_address rem_address   st\n"
        "   0: 00000000:0016 00000000:0000 0A 0\n   1: 0100007F:0277 00000000:0000 0A 0\n"
        "   2: 0E0200C0:0050 00000000:0000 0A 0\n"
        "   3: 00000000:1234 01020304:0016 01 0\n"
    )
    assert [p.title for p in proc.read_listening(text, "tcp")] == ["tcp 22", "tcp 80 on 192.0.2.14"]
    six = (
        "head\n   0: 00000000000000000000000000000000:0035 "
        "00000000000000000000000000000000:0000 07 0\n"
    )
    assert [p.title for p in proc.read_listening(six, "udp")] == ["udp 53"]


def test_fstab_units_sessions_and_guests():
    table = fstab.read_fstab(
        "# none\nUUID=1 / ext4 defaults 0 1\n"
        "LABEL=b /boot ext4 noauto 0 2\n"
        "UUID=2 none swap sw 0 0\n"
    )
    assert [(e.path, e.at_boot) for e in table] == [("/", True), ("/boot", False)]
    units = systemd.read_units(
        "a.service loaded failed failed Reads the gauge\n"
        "● b.timer loaded active waiting Nightly\n\n3 units\n"
    )
    assert [(u.name, u.has_failed, u.about) for u in units] == [
        ("a.service", True, "Reads the gauge"),
        ("b.timer", False, "Nightly"),
    ]
    blocks = systemd.read_properties("Name=watch\nRemote=yes\n\nName=root\n\n")
    assert [b["Name"] for b in blocks] == ["watch", "root"]
    listed = (
        " Id   Name            State\n-------------------------------\n"
        " 3    tide archive    running\n -    old-gauge       shut off\n\n"
    )
    assert [(g.name, g.state, g.is_running) for g in guests.read_virsh_list(listed)] == [
        ("tide archive", "running", True),
        ("old-gauge", "shut off", False),
    ]
    rows = '{"Names":["map"],"State":"running"}\nrubbish\n{"Names":"x","Status":"Exited (0)"}\n'
    assert [(g.name, g.is_running) for g in guests.read_containers(rows, "podman")] == [
        ("map", True),
        ("x", False),
    ]


def test_accounts_pins_logs_and_release_dates():
    shadow = "root:$y$abc:20000:0:99999:7:::\ndaemon:*:19000:0:::::\nwatch:!:20001::::::\n"
    assert [(a.name, a.changed) for a in accounts.read_password_ages(shadow)] == [
        ("root", "2024-10-04")
    ]
    pins = apt_preferences.read_pins("Package: *\nPin: release n=diamond\nPin-Priority: -1\n", "p")
    assert [(p.is_general, p.selects, p.priority) for p in pins] == [
        (True, "release n=diamond", -1)
    ]
    log = (
        "2025-09-02 21:14:40 upgrade quay-base:amd64 5.1 5.2\n"
        "2024-11-20 09:00:00 install quay-base:amd64 <none> 5.1\n"
        "2025-09-02 21:14:41 status installed quay-base:amd64 5.2\n"
    )
    assert package_logs.read_dpkg_versions(log, "quay-base") == [
        ("2024-11-20", "5.1"),
        ("2025-09-02", "5.2"),
    ]
    table = (
        "version,codename,series,created,release,eol,eol-lts,eol-elts\n"
        "11,Bullseye,bullseye,2019-07-06,2021-08-14,2024-08-14,2026-08-31,2031-06-30\n"
        "14,Forky,forky,2025-08-09\n,Sid,sid,1993-08-16\n"
    )
    rows = distro_info.read_release_dates(table)
    assert [(r.series, str(r.support_ends)) for r in rows] == [
        ("bullseye", "2026-08-31"),
        ("forky", "None"),
    ]


def test_repositories_of_other_families():
    repos = ini_sources.read_repo_file(
        "[a]\nbaseurl=http://a\n[b]\nenabled=0\n[c]\ngpgcheck=0\n", "/r"
    )
    assert [(r.suites, r.trusted_without_signature) for r in repos] == [
        (("a",), False),
        (("c",), True),
    ]
    conf = (
        "[options]\nSigLevel = Required\n[core]\nInclude = /m\n[own]\nSigLevel = Never\nServer=x\n"
    )
    assert [
        (r.uris, r.trusted_without_signature) for r in ini_sources.read_pacman_config(conf, "/c")
    ] == [(("/m",), False), (("x",), True)]


def test_a_package_header_is_read_as_it_was_written():
    tags = {
        1000: "gauge",
        1001: "0.4",
        1002: "1",
        1003: [2],
        1022: "noarch",
        1035: ["aa", "bb"],
        1037: [1, 0],
        1116: [0, 0],
        1117: ["g.conf", "g.bin"],
        1118: ["/etc/"],
    }
    values = read_header(rpm_header(tags))
    assert values[1000] == ["gauge"] and values[1003] == [2] and values[1117] == ["g.conf", "g.bin"]


@pytest.mark.parametrize(
    "content", [b"", b"SQLite format 3\0" + b"\xff" * 200, b"Berkeley", b"\x00" * 5000]
)
def test_a_damaged_rpm_database_is_named(content):
    with pytest.raises(FormatError):
        read_rpm_database(content, where="db")


@given(st.binary(max_size=400))
def test_no_header_does_more_than_be_refused(blob):
    with contextlib.suppress(FormatError):
        read_header(blob)


@given(st.integers(0, 1 << 32 - 1), st.integers(0, 1 << 32 - 1), st.binary(max_size=64))
def test_a_header_that_lies_about_its_size_is_refused(entries, size, rest):
    blob = struct.pack(">II", min(entries, (1 << 32) - 1), min(size, (1 << 32) - 1)) + rest
    if 8 + 16 * entries + size > len(blob):
        with pytest.raises(FormatError):
            read_header(blob)


READERS = [
    proc.read_mounts,
    proc.read_modules,
    proc.memory_bytes,
    proc.seconds_up,
    proc.deleted_files,
    lambda text: proc.read_listening(text, "tcp"),
    lambda text: proc.read_listening(text, "udp"),
    fstab.read_fstab,
    systemd.read_units,
    systemd.read_properties,
    systemd.read_session_ids,
    guests.read_virsh_list,
    guests.read_machinectl_list,
    lambda text: guests.read_containers(text, "podman"),
    accounts.read_password_ages,
    lambda text: apt_preferences.read_pins(text, "p"),
    lambda text: package_logs.read_dpkg_versions(text, "a"),
    distro_info.read_release_dates,
    lambda text: ini_sources.read_repo_file(text, "p"),
    lambda text: ini_sources.read_pacman_config(text, "p"),
    lambda text: alpm_database.read_local_package(text, text),
]


@given(st.text(alphabet="ab 0A:/=[]%{}\"'|-,.()\n\t\\\x1b\u202e#*!", max_size=200))
def test_no_junk_makes_a_reader_fail(text):
    for read in READERS:
        read(text)


def test_processor_levels_build_on_each_other():
    v2 = set(V2_FLAGS.split())
    assert level_of("amd64", v2) == "x86-64-v2"
    v3 = v2 | {"avx", "avx2", "bmi1", "bmi2", "f16c", "fma", "abm", "movbe", "xsave"}
    assert level_of("i386", v3) == "x86-64-v3"
    assert level_of("amd64", v3 - {"popcnt"}) == "x86-64-v1"
    assert missing_for("x86-64-v3", v2) and not missing_for("x86-64-v2", v2)
    assert level_of("arm64", {"fp", "asimd", "crc32", "atomics", "asimdrdm"}) == "armv8.1-a"
    assert level_of("armhf", {"vfp", "vfpv3", "thumb", "neon"}) == "armv7-a-neon"
    assert missing_for("no-such-level", v2) == []


def test_unmet_dependencies_know_alternatives_versions_and_what_is_provided():
    packages = [
        package("a", depends="b (>= 2) | c, mail-agent, lib:any (<< 3), virtual (>= 1)"),
        package("b", "1"),
        package("c"),
        package("m", provides="mail-agent"),
        package("lib", "2"),
        package("v", provides="virtual (= 2)"),
        package("gone", depends="nothing", state="config-files"),
    ]
    assert list(unmet_dependencies(packages)) == []
    packages[5] = package("v", provides="virtual")
    assert [(u.package, u.needs) for u in unmet_dependencies(packages)] == [("a", "virtual (>= 1)")]


def test_pending_updates_leave_out_what_is_held_or_only_on_request():
    packages = [package("a", "1"), package("b", "1", want="hold"), package("c", "1")]
    offers = [
        Offer("a", "2", "s"),
        Offer("a", "3", "s-backports"),
        Offer("b", "2", "s"),
        Offer("c", "1", "s"),
        Offer("c", "2", "s-security", download_bytes=7),
    ]
    found = pending_updates(packages, offers, {"s-backports"})
    assert [(u.name, u.new, u.security) for u in found] == [("c", "2", True), ("a", "2", False)]


WORK = [Work(fetch_bytes=50_000_000, write_bytes=300_000_000, packages=140)]


def test_an_estimate_learns_from_earlier_crossings():
    guess = estimate(WORK, Speeds())
    assert guess.low < guess.seconds < guess.high
    assert "nothing was measured" in guess.basis
    slow = estimate(WORK, Speeds(), [2.0, 2.0, 2.0, 2.0, 2.0])
    assert slow.seconds == pytest.approx(2 * guess.seconds)
    assert slow.high / slow.low < guess.high / guess.low
    assert estimate(WORK, Speeds(link=1e9)).seconds < guess.seconds
    assert sum(guess.parts.values()) == pytest.approx(guess.seconds)


@given(st.lists(st.floats(0.05, 20), max_size=8))
def test_the_range_of_an_estimate_holds_what_was_seen_last(ratios):
    made = estimate(WORK, Speeds(), ratios)
    assert 0 < made.low <= made.seconds <= made.high
    for ratio in ratios[-5:]:
        actual = estimate(WORK, Speeds()).seconds * ratio
        assert made.low <= actual * 1.001 and actual <= made.high * 1.001


def test_speeds_windows_and_ranges_in_words():
    assert measured([(100, 10), (300, 10), (5, 0.01)]) == 20 and measured([]) == 0
    assert read_window("sat 22:00-02:00").words == "Sat 22:00, 4 h"
    assert read_window("23:30-00:15").words == "23:30, 45 min"
    for wrong in ("", "22-24", "22:00-22:00", "Xyz 1:00-2:00"):
        with pytest.raises(ValueError):
            read_window(wrong)
    assert range_words(20, 50) == "20 to 50 seconds"
    assert range_words(230, 540) == "4 to 9 minutes"
    assert range_words(5400, 10_800) == "1.5 to 3.0 hours"
    assert range_words(55, 62) == "55 to 62 seconds"


def test_what_was_fetched_tells_the_speed_of_the_link():
    assert fetched("x\nFetched 9,123 kB in 3s (2,831 kB/s)\n") == (9_123_000, 3)
    assert fetched("Fetched 1.5 MB in 1min 2s (24 kB/s)") == (1_500_000, 62)
    assert fetched("Fetched 812 B in 0s (4,060 B/s)") == (812, 0.5)
    assert fetched("Get:1 http://a.example x InRelease") is None

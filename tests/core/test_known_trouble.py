"""Known issues are proven or cleared by what a machine shows, and told where neither is known."""

import errno
import os
import re
from pathlib import Path

import msgspec
import pytest

from brave_bridge.core.formats.fstab import ExpectedMount
from brave_bridge.core.releases.conditions import KnownIssue, SettingSign
from brave_bridge.core.survey.activity import Activity, Unit
from brave_bridge.core.survey.facts import Evidence, LookedAt
from brave_bridge.core.survey.known_trouble import ELSEWHERE, HERE, UNKNOWN, concerning, judged
from brave_bridge.core.survey.platform import Boot, Device, Hardware
from brave_bridge.families.topics.asked import Asked
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.workbench.decisions import Decisions
from brave_bridge.workbench.lines import all_lines
from brave_bridge.workbench.outlook.routes import stands_of
from tests.support.facts import facts, leg, package, quayside

PORT = SettingSign("/etc/gauge/*.conf", r"^port\s*=\s*[0-9]{1,3}$")
LOOKED = LookedAt(
    there=("/home/ann/.gauge",),
    lines={"/etc/gauge/a.conf": ("port = 80",)},
    faults={"/etc/locked.conf": "Permission denied"},
)


@pytest.mark.parametrize(
    ("issue", "verdict", "seen"),
    [
        ({}, HERE, "every machine"),
        ({"packages": ("quay-w*",)}, HERE, "quay-webd"),
        ({"packages": ("other",)}, ELSEWHERE, ""),
        ({"settings": (PORT,)}, HERE, "/etc/gauge/a.conf: port = 80"),
        ({"settings": (SettingSign("/etc/gauge/*.conf", "^host"),)}, ELSEWHERE, ""),
        (
            {"settings": (SettingSign("/etc/locked.conf", "x"),)},
            UNKNOWN,
            "/etc/locked.conf: Permission denied",
        ),
        ({"files": ("/etc/locked*",)}, UNKNOWN, "/etc/locked.conf: Permission denied"),
        ({"files": ("/home/*/.gauge",)}, HERE, "/home/ann/.gauge"),
        ({"files": ("/root/.gauge",)}, ELSEWHERE, ""),
        ({"file_systems": ("ext3", "xfs")}, HERE, "xfs at /srv"),
        ({"file_systems": ("ext3",)}, ELSEWHERE, ""),
        ({"units": ("gauge*.service",)}, HERE, "gauged.service"),
        ({"devices": ("pci:v00008086*",)}, HERE, "pci:v00008086d1"),
        ({"boots_with": r"hierarchy=(0|no)\b"}, HERE, "command line: hierarchy=0"),
        ({"boots_with": "hierarchy=1"}, ELSEWHERE, ""),
        ({"packages": ("quay-webd",), "files": ("/none",)}, ELSEWHERE, ""),
        (
            {"packages": ("quay-webd",), "settings": (PORT,)},
            HERE,
            "quay-webd, /etc/gauge/a.conf: port = 80",
        ),
    ],
)
def test_every_sign_must_be_there(issue, verdict, seen):
    given = facts(
        looked_at=LOOKED,
        expected_mounts=(ExpectedMount("/srv", "/dev/sdb1", "xfs"),),
        activity=Activity(units=(Unit("gauged.service", "active"),)),
        hardware=Hardware(devices=(Device("/sys/x", "pci:v00008086d1", "e"),)),
        boot=Boot(command_line="ro hierarchy=0 quiet"),
    )
    trouble = judged(KnownIssue("x", "trouble", **issue), given)
    assert (trouble.verdict, trouble.seen) == (verdict, seen)


def test_what_cannot_be_read_is_told_and_not_taken_for_clear():
    unread = facts(
        evidence=(Evidence("services", "", "", absent="the system does not run"),),
        activity=Activity(),
        looked_at=None,
    )
    for issue in ({"units": ("a",)}, {"files": ("/a",)}, {"settings": (PORT,)}):
        assert judged(KnownIssue("x", "trouble", **issue), unread).verdict == UNKNOWN
    known = KnownIssue("x", "t", packages=("z",))
    assert concerning([known], unread), "the packages were not read"
    assert not concerning([known], facts())


def test_a_leg_waits_only_where_its_trouble_is():
    wait = KnownIssue("x", "t", severity="wait", packages=("other",))
    line = quayside()
    rules = tuple(msgspec.structs.replace(rule, issues=(wait,)) for rule in line.legs)
    given = msgspec.structs.replace(line, legs=rules)
    assert not stands_of(given, facts(), Decisions(), ()).waits
    there = facts(packages=(package("other"),))
    assert leg().key in stands_of(given, there, Decisions(), ()).waits


def test_settings_are_read_without_comments_and_only_where_asked(tmp_path):
    (tmp_path / "etc/gauge").mkdir(parents=True)
    (tmp_path / "etc/gauge/a.conf").write_text("# port = 1\n\nport = 80 # x\n; old\n")
    machine = TreeMachine("tree", tmp_path)
    asked = Asked(("/etc/gauge/*.conf",), ("/etc/gauge", "/none"))
    looked = asked.read(machine.files.gather(asked.queries))
    assert looked.lines == {"/etc/gauge/a.conf": ("port = 80",)}
    assert looked.there == ("/etc/gauge",)
    assert Asked().queries == () and Asked().read(machine.files.gather(())) is None


def test_a_path_that_may_not_be_looked_at_is_not_taken_for_missing(tmp_path, monkeypatch):
    (tmp_path / "home/ann").mkdir(parents=True)
    (tmp_path / "home/bo").mkdir(parents=True)
    asked = Asked(files=("/home/ann/.gauge", "/home/bo/.g*", "/none/.gauge", "/none/*"))
    really = {"stat": os.stat, "listdir": os.listdir}

    def refusing(name: str, part: str):
        def call(path, *more, **options):
            place = os.readlink(f"/proc/self/fd/{path}") if isinstance(path, int) else str(path)
            if part in place:
                raise PermissionError(errno.EACCES, "Permission denied", path)
            return really[name](path, *more, **options)

        return call

    machine = TreeMachine("tree", tmp_path)
    monkeypatch.setattr(os, "stat", refusing("stat", ".gauge"))
    monkeypatch.setattr(os, "listdir", refusing("listdir", "home/bo"))
    looked = asked.read(machine.files.gather(asked.queries))
    assert looked.faults == {
        "/home/ann/.gauge": "Permission denied",
        "/home/bo/.g*": "Permission denied",
    }
    issue = KnownIssue("x", "trouble", files=("/home/*/.gauge",))
    assert judged(issue, facts(looked_at=looked)).verdict == UNKNOWN


def real_issues() -> list[KnownIssue]:
    return [
        issue
        for line in all_lines()
        if line.id in ("debian", "ubuntu")
        for rule in line.legs
        for issue in rule.issues
    ]


def test_the_real_lines_have_issues_that_can_be_proven():
    issues = real_issues()
    signs = ("packages", "settings", "files", "boots_with")
    assert sum(any(getattr(issue, sign) for sign in signs) for issue in issues) >= 25
    for issue in issues:
        for sign in issue.settings:
            re.compile(sign.has)
        re.compile(issue.boots_with)
        assert issue.checked is None or issue.source, f"{issue.id} was checked against what?"


@pytest.mark.parametrize(
    ("issue", "path", "line", "hits"),
    [
        ("crypttab-plain", "/etc/crypttab", "swap /dev/sda2 /dev/urandom plain,swap", True),
        ("crypttab-plain", "/etc/crypttab", "swap /dev/sda2 x plain,cipher=aes-xts-plain64", False),
        ("crypttab-plain", "/etc/crypttab", "home /dev/sda3 none luks", False),
        ("old-zone-names", "/etc/timezone", "US/Pacific", True),
        ("old-zone-names", "/etc/timezone", "Europe/Lisbon", False),
        ("ssh-dsa-keys", "/home/ann/.ssh/authorized_keys", "ssh-dss AAAA ann", True),
        ("ssh-dsa-keys", "/home/ann/.ssh/authorized_keys", "ssh-ed25519 AAAA ann", False),
        ("pam-lastlog", "/etc/pam.d/sshd", "session required pam_lastlog.so", True),
        ("pam-lastlog", "/etc/pam.d/login", "session optional pam_lastlog.so", False),
        ("mesg-in-profile", "/root/.profile", "mesg n 2> /dev/null || true", False),
        ("mesg-in-profile", "/root/.profile", "mesg n", True),
        ("ldap-old-storage-file", "/etc/ldap/slapd.conf", "database hdb", True),
        ("ldap-old-storage-file", "/etc/ldap/slapd.conf", "database mdb", False),
        ("ldap-cipher-words", "/etc/ldap/ldap.conf", "TLS_CIPHER_SUITE SECURE256", True),
        ("sysctl-conf", "/etc/sysctl.conf", "vm.swappiness=10", True),
    ],
)
def test_signs_of_real_issues_fit_the_lines_that_they_are_about(issue, path, line, hits):
    known = next(one for one in real_issues() if one.id == issue)
    given = facts(
        packages=tuple(package(name) for name in known.packages),
        looked_at=LookedAt(lines={path: (line,)}),
    )
    assert (judged(known, given).verdict == HERE) is hits


def test_the_worked_example_of_the_page_is_a_good_file():
    from brave_bridge.core.releases.checking import check_line

    page = (Path(__file__).parents[2] / "docs/catalogue.md").read_text(encoding="utf-8")
    example = page.rpartition("```toml\n")[2].partition("```")[0]
    line, faults = check_line(example)
    assert line is not None and not faults and line.legs[0].issues[0].settings

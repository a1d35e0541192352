"""Surveys of machines whose files mean harm: bounded, clear, and nothing raw on the terminal."""

import os
import subprocess
import sys
from pathlib import Path

import msgspec
import pytest

from brave_bridge.cli import texts
from brave_bridge.families.registry import survey
from brave_bridge.machines.folder_state import FolderState
from brave_bridge.machines.gathering import Gathering
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.queries import Answers, Below, Contents, Names, Rooms, Stanzas, Sums
from brave_bridge.machines.questions import ask_all
from brave_bridge.machines.reach import FolderReach
from brave_bridge.machines.standin import live
from brave_bridge.machines.standin.live import LIVE
from brave_bridge.workbench.demo import demo_fleet
from brave_bridge.workbench.pages.facts import facts_page
from brave_bridge.workbench.pages.survey import survey_page
from brave_bridge.workbench.record import MachineRecord

NASTY = "a\x1b[2J\x1b]0;owned\x07b\u202egnp\x00c\x9b31m"
SOURCES = "/etc/apt/sources.list.d/quayside.sources"


def shown(desk) -> str:
    """All that a person would be shown of a survey, on the screen and on the command line."""
    surveyed = desk.survey()
    record = MachineRecord(name="petrel", about="x", words=(), surveyed=surveyed)
    pages = (survey_page(record), facts_page(record))
    cells = [cell for page in pages for row in page.rows for cell in row.cells]
    notes = [note.text for page in pages for row in page.rows for note in row.why]
    return "\n".join([*cells, *notes, *texts.survey_text(surveyed)])


def is_harmless(text: str) -> bool:
    return not any(
        (ord(c) < 32 and c not in "\n\t") or 127 <= ord(c) < 160 or c in "\u202e\u2066"
        for c in text
    )


@pytest.mark.parametrize(
    ("path", "content"),
    [
        (
            "/usr/lib/os-release",
            f'ID=quayside\nVERSION_ID=5.3\nPRETTY_NAME="{NASTY}"\n'
            f'VERSION_CODENAME=bowline\nVARIANT="{NASTY}"\nBUILD_ID={NASTY}\n',
        ),
        ("/etc/hostname", NASTY * 50),
        ("/proc/cmdline", NASTY * 400),
        ("/proc/cpuinfo", f"model name : {NASTY}\nflags : {NASTY}\n"),
        ("/sys/class/dmi/id/product_name", NASTY),
        ("/proc/self/mounts", f"/dev/{NASTY} /srv/{NASTY} ext4 rw 0 0\n"),
        ("/etc/fstab", f"LABEL={NASTY} /boot ext4 defaults 0 0\n"),
        ("/proc/modules", f"{NASTY} 1 0 - Live 0 (O)\n"),
        ("/proc/801/comm", NASTY),
        ("/run/reboot-required", "x"),
        ("/run/reboot-required.pkgs", NASTY * 9),
        (SOURCES, f"Types: deb\nURIs: http://a.example/{NASTY}\nSuites: x{NASTY}\nComponents: m\n"),
        ("/etc/apt/preferences", f"Package: *\nPin: release n=diamond {NASTY}\nPin-Priority: 9\n"),
        ("/etc/licence", f"EDITION='{NASTY}'\nENDS=2026-12-01\n"),
        ("/etc/x.dpkg-dist", "x"),
        ("/etc/locale.conf", f"LANG={NASTY}\n"),
    ],
)
def test_nothing_of_a_hostile_file_reaches_the_terminal_raw(stand_in, path, content):
    desk = stand_in("petrel")
    place = desk.machine.root / path.lstrip("/")
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_bytes(content.encode("utf-8", "surrogateescape"))
    assert is_harmless(shown(desk))


def test_hostile_names_and_package_fields(stand_in):
    desk = stand_in("petrel")
    status = desk.machine.files.read("/var/lib/dpkg/status", 1 << 24).decode()
    nasty = NASTY.replace("\x00", "")
    status = status.replace("Version: 1.18-6+q3", f"Version: 1{nasty}")
    desk.machine.files.write("/var/lib/dpkg/status", status.encode())
    (desk.machine.root / f"etc/{nasty}.dpkg-dist").write_text("x")
    (desk.machine.root / "boot" / f"vmlinuz-{nasty}").write_text("x")
    assert is_harmless(shown(desk))


def test_an_os_release_of_200_megabytes_is_refused_at_once(stand_in):
    desk = stand_in("petrel")
    with open(desk.machine.root / "usr/lib/os-release", "wb") as stream:
        stream.truncate(200_000_000)
    with pytest.raises(MachineError, match="os-release: longer than 65536 bytes"):
        desk.survey()


def test_invalid_utf8_is_replaced(stand_in):
    desk = stand_in("petrel")
    text = (
        b'ID=quayside\nVERSION_ID=5.3\nVERSION_CODENAME=bowline\nPRETTY_NAME="Quay\xff\xfeside"\n'
    )
    desk.machine.files.write("/usr/lib/os-release", text)
    assert "Quay\ufffd\ufffdside" in desk.survey().facts.identity.name


_JUNK = """
import resource, sys, time
sys.path.insert(0, {source!r})
from pathlib import Path
from brave_bridge.families.registry import survey
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.standin.machine import StandInMachine
before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
began = time.monotonic()
try:
    survey(StandInMachine("petrel", Path({root!r})), "deb")
    print("read")
except MachineError as error:
    print(error.seen[:200])
print((resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) // 1024)
print(time.monotonic() - began)
"""


@pytest.mark.parametrize("line", ["junk that is no field\n", "Package: p\nStatus: x\n\n", "A: "])
def test_lines_of_junk_without_end_as_package_database(stand_in, line):
    root = stand_in("petrel").machine.root
    (root / "var/lib/dpkg/status").write_text(line * 400_000)
    source = str(Path(__file__).parents[2] / "src")
    done = subprocess.run(
        [sys.executable, "-c", _JUNK.format(source=source, root=str(root))],
        capture_output=True,
        text=True,
        check=True,
        timeout=120,
    )
    verdict, megabytes, seconds = done.stdout.splitlines()
    assert verdict == "read" or "damaged" in verdict or "names no package" in verdict
    assert int(megabytes) < 600 and float(seconds) < 60


def test_loops_pipes_devices_and_ways_out_hold_up_nothing(stand_in, tmp_path):
    desk = stand_in("petrel")
    root = desk.machine.root
    (tmp_path / "secret").write_text("ID=stolen\n")
    for path in ("etc/fstab", "proc/cmdline", "etc/licence"):
        (root / path).unlink(missing_ok=True)
    (root / "etc/fstab").symlink_to("fstab")
    os.mkfifo(root / "proc/cmdline")
    (root / "etc/licence").symlink_to(tmp_path / "secret")
    (root / "etc/apt/sources.list.d/loop.list").symlink_to("loop.list")
    (root / "etc/loop").symlink_to("..")
    (root / "var/lib/dkms").mkdir(parents=True)
    (root / "var/lib/dkms/round").symlink_to(".")
    facts = desk.survey().facts
    assert facts.expected_mounts == () and facts.licence is None
    assert facts.boot.command_line == ""
    assert "stolen" not in str(facts)


def test_a_gathering_is_bounded(tmp_path):
    many = tmp_path / "many"
    many.mkdir()
    for number in range(300):
        (many / str(number)).write_text("x" * 100)
    (many / "log.gz").write_bytes(b"\x1f\x8b rubbish")
    gathering = Gathering(FolderReach(str(tmp_path)))
    for query in (
        Contents(("/many/*",), 10),
        Contents(("/many/log.gz",), 10, containing=(b"x",)),
        Contents(("/many/1",), 10, cut=True),
        Names(("/many/*/deeper/*",)),
        Below(("/many",), ("9",)),
        Rooms(("/none", "/many")),
        Sums(("/many/2", "/none")),
        Stanzas(("/many/*",), frozenset({"x"}), ("Package",)),
    ):
        gathering.grant(query)
    seen = gathering.seen
    assert seen.faults["/many/5"] == "longer than 10 bytes"
    assert seen.contents["/many/1"] == b"x" * 10 and seen.stanzas == []
    assert set(seen.rooms) == {"/many"} and set(seen.sums) == {"/many/2"}
    assert len(seen.below["/many"]) == 30


def test_questions_end_in_time_and_size():
    slow, loud, gone = ("sleep", "30.25"), ("yes",), ("no-such-command-here",)
    answers = ask_all(Answers((slow, loud, gone), seconds=1.0, limit=10_000))
    assert (answers[slow].code, answers[gone].code) == (124, 127)
    assert len(answers[loud].output) < 200_000
    assert not [p for p in Path("/proc").glob("[0-9]*/cmdline") if _is(p, b"sleep\x0030.25\x00")]


def _is(path: Path, words: bytes) -> bool:
    try:
        return path.read_bytes() == words
    except OSError:
        return False


@pytest.mark.parametrize(
    "name",
    [machine.name for machine in demo_fleet().machine],
)
def test_every_machine_of_the_demo_has_facts_in_two_rounds(stand_in, name):
    desk = stand_in(name)
    rounds = []
    gather = desk.machine.files.gather
    desk.machine.files.gather = lambda queries: rounds.append(1) or gather(queries)
    facts = survey(desk.machine, desk.family())
    assert len(rounds) <= 3, "one round tells the family, two read the facts"
    assert facts.boot.kernel and facts.hardware.memory_bytes and facts.space
    # Facts survive being written down, as a baseline in the logbook does.
    assert msgspec.json.decode(msgspec.json.encode(facts), type=type(facts)) == facts
    assert all(evidence.where or evidence.absent for evidence in facts.evidence)


TELLING = {
    "gannet": {"support-window", "undriven-devices"},
    "petrel": {"third-party-sources", "changed-configs", "stale-programs", "known-issues"},
    "skua": {"support-window", "foreign-modules", "failed-services", "clock", "field-notes"},
    "puffin": {"support-window", "uncovered-mounts"},
    "dunlin": {"free-space", "boot-settings", "known-issues"},
    "avocet": {"pending-updates", "held-packages", "running-guests", "failed-services"},
    "turnstone": {"set-aside", "power-source", "changed-configs"},
    "fulmar": {"licence-end"},
    "razorbill": {"running-guests", "uncovered-mounts"},
    "whimbrel": {"security-chip", "support-window"},
    "knot": {"newer-kernel", "boot-settings"},
}


def test_every_machine_of_the_demo_has_its_telling_findings(stand_in, monkeypatch, demo_world):
    monkeypatch.setenv("XDG_STATE_HOME", str(demo_world.parent / "none"))
    from brave_bridge.store.reading_notes import read_notes
    from brave_bridge.workbench.desk import Desk

    monkeypatch.setattr(
        Desk, "field_notes", lambda self: read_notes(FolderState("this fleet", demo_world))
    )
    for name, wanted in TELLING.items():
        findings = stand_in(name).survey().findings
        grave = {f.id for f in findings if f.verdict.value in ("stop", "caution")}
        assert wanted <= grave, (name, wanted - grave)


def test_a_slow_service_manager_is_asked_with_more_time_and_others_are_not():
    manager, other = ("sh", "-c", "sleep 1.5; echo units"), ("sleep", "30")
    answers = ask_all(Answers((manager, other), seconds=0.5, patiently=("sh",), more_seconds=20))
    assert answers[manager].ok and answers[manager].output == "units\n"
    assert answers[other].took_too_long
    answers = ask_all(Answers((manager,), seconds=0.2, patiently=("sh",), more_seconds=0.2))
    assert answers[manager].took_too_long


RUBBISH = {"zeros": b"\0" * 100, "too long": b"\0" * 5_000_000, "deep": b"[" * 90_000}


@pytest.mark.parametrize("kind", RUBBISH)
def test_what_goes_on_is_not_read_from_rubbish(stand_in, kind):
    desk = stand_in("petrel")
    desk.machine.files.write(LIVE, RUBBISH[kind])
    with pytest.raises((MachineError, OSError)) as told:
        desk.survey()
    assert "stand-in-live.json" in str(told.value)


def test_what_goes_on_is_written_through_no_link(stand_in, tmp_path):
    desk, outside = stand_in("petrel"), tmp_path / "outside"
    outside.write_text("kept")
    place = desk.machine.root / LIVE.lstrip("/")
    place.with_suffix(".new").symlink_to(outside)
    described = live.load(desk.machine.root)
    described.synchronised = not described.synchronised
    live.save(desk.machine.root, described)
    assert outside.read_text() == "kept"
    assert live.load(desk.machine.root).synchronised == described.synchronised

"""Kernels as packages: series, what must stay, what is held, and the scripts that change them."""

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.boot.entries import BootEntry, Loader, LoaderFault
from brave_bridge.core.crossing.kernels.change_kernels import KernelChange, change_kernels
from brave_bridge.core.crossing.kernels.hold_series import hold_series, let_series_go
from brave_bridge.core.crossing.replies import (
    Done,
    FactsRead,
    Failed,
    FileText,
    PackagesFetched,
    Ran,
    SnapshotTaken,
)
from brave_bridge.core.crossing.requests import (
    ReadFacts,
    RemoveFile,
    RemoveFolder,
    Run,
    TakeSnapshot,
    WriteFiles,
)
from brave_bridge.core.formats.apt_preferences import Pin, read_pins
from brave_bridge.core.formats.kernel_path import kernel_in
from brave_bridge.core.kernels.keeping import old_kernels, why_it_must_stay
from brave_bridge.core.kernels.kernel_package import FOLLOWS, IMAGE, KernelPackage, series_of
from brave_bridge.core.kernels.series_hold import series_holds, to_hold
from brave_bridge.core.packages.updates import Offer, pending_updates
from brave_bridge.core.survey.platform import Kernel, Space
from brave_bridge.core.survey.restart_need import newest_kernel
from brave_bridge.families.deb.commands import DebCommands
from brave_bridge.families.deb.kernel_hold import DebKernelHolding
from tests.support.facts import facts, package

VERSIONS = ("6.1.0-40", "6.1.0-42", "6.1.0-47", "6.12.0-3")
RUNNING, NEWEST = "6.1.0-47", "6.12.0-3"
FOLLOWER = KernelPackage("linux", "6.12.3-1", NEWEST, FOLLOWS, True, needs=(f"linux-{NEWEST}",))


def image(version: str, **changes) -> KernelPackage:
    made = KernelPackage(f"linux-{version}", f"{version}-1", version, IMAGE, size_bytes=1 << 28)
    return msgspec.structs.replace(made, **changes)


def menu(*versions: str, default: str = "") -> Loader:
    made = tuple(BootEntry(f"kernel {v}", v, id=v, image=f"/boot/vmlinuz-{v}") for v in versions)
    return Loader("grub", made, default or versions[0], remembers="/boot/grub/grubenv")


def machine(versions=VERSIONS, default: str = RUNNING, **changes):
    """A machine with four kernels; the third runs and boots next, the fourth is followed."""
    known = facts(
        kernels=tuple(Kernel(v, f"/boot/vmlinuz-{v}", 8, v == RUNNING, 60) for v in versions),
        kernel_packages=(*(image(v) for v in versions), FOLLOWER),
        loader=menu(*versions, default=default),
    )
    boot = msgspec.structs.replace(known.boot, kernel=RUNNING)
    return msgspec.structs.replace(known, boot=boot, **changes)


@pytest.mark.parametrize(
    ("version", "series"),
    [
        ("6.1.0-28-amd64", "6.1"),
        ("6.1.176-1", "6.1"),
        ("1:6.12~rc3-1", "6.12"),
        ("6.8.4-300.fm11", "6.8"),
        ("6.6", "6.6"),
        ("next-20261101", ""),
        ("", ""),
    ],
)
def test_the_series_of_a_version(version, series):
    assert series_of(version) == series


@pytest.mark.parametrize(
    ("path", "kernel"),
    [
        ("/boot/vmlinuz-6.1.0-28-amd64", "6.1.0-28-amd64"),
        ("usr/lib/modules/6.9.1-arch/vmlinuz", "6.9.1-arch"),
        ("/lib/modules/6.9/vmlinuz", "6.9"),
        ("/lib/modules/6.9/kernel/vmlinuz", ""),
        ("/boot/vmlinuz", ""),
    ],
)
def test_whose_image_a_file_is(path, kernel):
    assert kernel_in(path) == kernel


@pytest.mark.parametrize(
    ("kernel", "why"),
    [
        (RUNNING, "it is what runs"),
        (NEWEST, "linux has brought it"),
        ("6.1.0-40", ""),
        ("6.1.0-42", ""),
    ],
)
def test_what_must_stay(kernel, why):
    assert why_it_must_stay(machine(), kernel).startswith(why)
    assert bool(why_it_must_stay(machine(), kernel)) == bool(why)


def test_what_boots_next_and_the_last_spare_stay():
    assert why_it_must_stay(machine(default="6.1.0-40"), "6.1.0-40") == "it is what boots next"
    two = machine(versions=(RUNNING, "6.1.0-40"))
    assert "2 kernels have to stay, and 1 would" in why_it_must_stay(two, "6.1.0-40")
    beside = ("6.1.0-42", NEWEST)
    assert "have to stay" in why_it_must_stay(machine(), "6.1.0-40", beside=beside)
    held = (image("6.1.0-40", held=True), image(RUNNING))
    known = machine(kernel_packages=held)
    assert why_it_must_stay(known, "6.1.0-40") == "linux-6.1.0-40 is held"
    assert "no package has it" in why_it_must_stay(known, "6.1.0-42")
    unknown = msgspec.structs.replace(known, packages=())
    assert why_it_must_stay(unknown, "6.1.0-42") == "whose it is is not known"


def test_what_goes_by_rule():
    assert list(old_kernels(machine())) == ["6.1.0-40", "6.1.0-42"]
    assert list(old_kernels(machine(), spared=("6.1.0-40",))) == ["6.1.0-42"]
    by_hand = (image("6.1.0-40", by_hand=True), *(image(v) for v in VERSIONS[1:]))
    assert list(old_kernels(machine(kernel_packages=by_hand))) == ["6.1.0-42"]


@given(
    st.lists(st.tuples(st.integers(1, 40), st.booleans()), max_size=8, unique_by=lambda r: r[0]),
    st.integers(0, 7),
    st.integers(0, 7),
)
def test_whatever_goes_by_rule_leaves_what_is_known_to_start(rows, running, coming):
    versions = [f"6.1.0-{number}" for number, _ in rows] or [RUNNING]
    runs, boots = versions[running % len(versions)], versions[coming % len(versions)]
    known = facts(
        kernels=tuple(Kernel(v, f"/boot/vmlinuz-{v}", 8) for v in versions),
        kernel_packages=tuple(
            image(v, by_hand=hand) for v, (_, hand) in zip(versions, rows, strict=False)
        ),
        loader=menu(*versions, default=boots),
    )
    known = msgspec.structs.replace(known, boot=msgspec.structs.replace(known.boot, kernel=runs))
    going = set(old_kernels(known))
    left = set(versions) - going
    assert {runs, boots} <= left and len(left) >= min(2, len(versions))


# Holding a series


def hold_pins(series: str, *packages: KernelPackage) -> list[Pin]:
    file = DebKernelHolding().hold(facts(), {}, series, packages)
    return read_pins(file.text, file.path)


@given(st.integers(2, 9), st.integers(0, 30), st.integers(1, 300), st.booleans())
def test_a_hold_keeps_to_its_series_and_lets_its_fixes_come(major, minor, patch, has_epoch):
    series = f"{major}.{minor}"
    epoch = "1:" if has_epoch else ""
    name, follower = (
        "linux",
        msgspec.structs.replace(
            FOLLOWER, version=f"{epoch}{series}.{patch}-1", kernel=f"{series}.0-{patch}"
        ),
    )
    pins = hold_pins(series, follower)
    (hold,) = series_holds(pins, (follower,))
    assert (hold.series, hold.packages, hold.is_ours) == (series, (name,), True)
    here = (package(name, follower.version),)
    fix = Offer(name, f"{epoch}{series}.{patch + 1}-1", "stable")
    other = Offer(name, f"{epoch}{major}.{minor + 1}.1-1", "stable")
    (update,) = pending_updates(here, (fix, other), (), pins)
    assert update.new == fix.version
    assert not pending_updates(here, (other,), (), pins)
    assert len(pending_updates(here, (other,))) == 1


def test_a_hold_by_the_package_manager_is_seen_and_not_ours():
    held = msgspec.structs.replace(FOLLOWER, held=True)
    (hold,) = series_holds((), (held, image(NEWEST)))
    assert (hold.series, hold.where, hold.is_ours) == ("6.12", "a hold", False)
    assert to_hold((FOLLOWER, image(NEWEST)), "6.12") == (FOLLOWER,)
    assert to_hold((FOLLOWER,), "6.1") == ()


def test_the_newest_kernel_is_that_of_the_held_series():
    follower = msgspec.structs.replace(FOLLOWER, version="6.1.47-1", kernel=RUNNING)
    known = machine(kernel_packages=(follower,), pins=tuple(hold_pins("6.1", follower)))
    assert newest_kernel(known).version == RUNNING
    assert newest_kernel(machine()).version == NEWEST


# The scripts


class Answers:
    """Answers the requests of a script as a machine would, unless told otherwise."""

    def __init__(self, *readings, **instead) -> None:
        self.readings = list(readings)
        self.instead = instead
        self.asked: list = []

    def reply(self, request):
        self.asked.append(request)
        kind = type(request).__name__
        if kind in self.instead:
            answer = self.instead[kind]
            return answer(request) if callable(answer) else answer
        match request:
            case ReadFacts():
                known = self.readings.pop(0) if len(self.readings) > 1 else self.readings[0]
                return FactsRead(known)
            case TakeSnapshot():
                return SnapshotTaken("s-1", "copy", 1, 1)
            case Run():
                return Ran(0, self._said(request), 1.0, "job")
            case _:
                return Done()

    def _said(self, run: Run) -> str:
        removed = [word.removesuffix("-") for word in run.argv if word.endswith("-")]
        if "--simulate" not in run.argv or not removed:
            return ""
        rows = "".join(f"   {name} (1)\n" for name in removed)
        return f"The following packages will be REMOVED:\n{rows}"

    def carried_out(self, script):
        try:
            request = next(script)
            while True:
                request = script.send(self.reply(request))
        except StopIteration as end:
            return end.value

    def of(self, kind: type) -> list:
        return [request for request in self.asked if isinstance(request, kind)]


def without(known, *kernels: str, **changes):
    left = tuple(k for k in known.kernels if k.version not in kernels)
    return msgspec.structs.replace(known, kernels=left, **changes)


REMOVAL = KernelChange(remove=("6.1.0-40",))


def test_a_kernel_is_removed_behind_a_way_back_and_read_back():
    roomy = (Space("/", 60_000_000_000, 100_000_000_000, 1, 1),)
    answers = Answers(machine(), without(machine(), "6.1.0-40", space=roomy))
    outcome = answers.carried_out(change_kernels(DebCommands(), REMOVAL))
    assert outcome.state == "done" and outcome.ways_back == ("s-1",)
    assert "10.00 GB more room on /" in outcome.warnings[0]
    commands = [run.argv for run in answers.of(Run)]
    assert any("linux-6.1.0-40-" in argv and "--simulate" not in argv for argv in commands)
    assert ("dpkg", "--purge", "linux-6.1.0-40") in commands


@pytest.mark.parametrize(
    ("wanted", "instead", "at", "why"),
    [
        (KernelChange(remove=(RUNNING,)), {}, "ready", "it is what runs"),
        (
            REMOVAL,
            {"Run": Ran(0, "The following packages will be REMOVED:\n   linux (1)\n", 1.0, "j")},
            "rehearsal",
            "more would change",
        ),
        (REMOVAL, {"Run": Ran(100, "E: no", 1.0, "j")}, "rehearsal", "no"),
        (REMOVAL, {"WriteFiles": Failed("writing", "full")}, "rehearsal", "full"),
        (REMOVAL, {"TakeSnapshot": Failed("taking", "no room")}, "way back", "no room"),
        (REMOVAL, {"ReadFacts": Failed("reading", "gone")}, "ready", "gone"),
    ],
)
def test_nothing_changes_where_it_would_go_wrong(wanted, instead, at, why):
    answers = Answers(machine(), **instead)
    outcome = answers.carried_out(change_kernels(DebCommands(), wanted))
    assert (outcome.state, outcome.at) == ("stopped", at) and why in outcome.why
    changing = [r for r in answers.of(Run) if "--simulate" not in r.argv]
    assert not changing and "no package was changed" in outcome.safe


def test_nothing_that_was_fetched_of_another_source_stays_however_it_ends():
    wanted = KernelChange(add=(("linux-6.13", "6.13-1"),), branch="/lists")
    fetched = PackagesFetched(("/var/cache/brave-bridge/kernels/linux-6.13.deb",))
    answers = Answers(machine(), FetchPackages=fetched, Run=Ran(100, "E: no", 1.0, "j"))
    outcome = answers.carried_out(change_kernels(DebCommands(), wanted))
    assert (outcome.state, outcome.at) == ("stopped", "rehearsal")
    assert len(answers.of(RemoveFolder)) == 1 and not answers.of(TakeSnapshot)


def test_what_is_left_or_does_not_fit_afterwards_is_a_failure_that_names_the_way_back():
    outcome = Answers(machine()).carried_out(change_kernels(DebCommands(), REMOVAL))
    assert (outcome.state, outcome.at) == ("failed", "reading back")
    assert "return s-1" in outcome.next_step
    broken = msgspec.structs.replace(
        menu(*VERSIONS[1:]), faults=(LoaderFault("image", "kernel 6.1.0-40 is not in /boot"),)
    )
    after = without(machine(), "6.1.0-40", loader=broken)
    outcome = Answers(machine(), after).carried_out(change_kernels(DebCommands(), REMOVAL))
    assert (outcome.state, outcome.at) == ("failed", "boot menu")


FILE = FileText("/etc/apt/preferences.d/brave-bridge-kernels", "…")
GONE = FileText(FILE.path, "")
HELD = msgspec.structs.replace(FOLLOWER, version="6.1.47-1", kernel=RUNNING)


def test_a_hold_is_read_back_and_taken_back_where_it_does_not_hold():
    held = machine(kernel_packages=(HELD,), pins=tuple(hold_pins("6.1", HELD)))
    outcome = Answers(held).carried_out(hold_series(DebCommands(), "6.1", FILE))
    assert outcome.state == "done"
    comes = "The following packages will be upgraded:\n   linux (6.1.47-1 => 6.12.3-1)\n"
    for answers, why in (
        (Answers(machine()), "do not have it"),
        (Answers(held, Run=Ran(1, comes, 1.0, "j")), "linux 6.12.3-1 would still come"),
        (Answers(held, Run=Ran(100, "E: broken", 1.0, "j")), "broken"),
    ):
        outcome = answers.carried_out(hold_series(DebCommands(), "6.1", FILE))
        assert outcome.state == "stopped" and why in outcome.why
        assert [request.path for request in answers.of(RemoveFile)] == [FILE.path]
    failing = Answers(held, WriteFiles=Failed("writing", "read-only"))
    assert "read-only" in failing.carried_out(hold_series(DebCommands(), "6.1", FILE)).why
    assert len(failing.of(WriteFiles)) == 1 and not failing.of(RemoveFile)


def test_letting_go_tells_what_else_holds():
    by_hand = msgspec.structs.replace(HELD, held=True)
    outcome = Answers(machine(kernel_packages=(by_hand,))).carried_out(let_series_go(GONE))
    assert outcome.state == "done" and outcome.warnings == ("a hold still keeps linux",)
    stuck = Answers(machine(), RemoveFile=Failed("removing", "read-only"))
    assert stuck.carried_out(let_series_go(GONE)).state == "stopped"

"""A leg that a failure left open: told everywhere, gone on with, or gone back from."""

import json
from contextlib import suppress

import pytest

from brave_bridge.cli.running import run as run_words
from brave_bridge.core.crossing.requests import FileSwap, ReplaceFiles, SwapFiles
from brave_bridge.runner.briefs import CrossBrief
from brave_bridge.runner.login_notice import NOTICE
from brave_bridge.runner.open_legs import OPEN_LEG
from brave_bridge.runner.performing.swapping import replace_files, swap_files
from brave_bridge.workbench.members import FleetMember
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.readiness import Readiness
from brave_bridge.workbench.reading import read_machine
from tests.support.runs import begin, carry_out


@pytest.fixture
def left_open(stand_in, monkeypatch):
    """petrel, whose leg failed in stage two; a file stands where a script wants a folder."""
    desk = stand_in("petrel")
    plan = Plans(desk).make("7")
    desk.machine.files.remove("/var/lib/tidebase/converted-at")
    (desk.machine.root / "var/lib/tidebase").rmdir()
    desk.machine.files.write("/var/lib/tidebase", b"in the way")
    begin(desk, CrossBrief("deb", plan.legs), "trial")
    carry_out(desk.machine.root, "petrel", "trial")
    assert desk.logbook().procedure("trial").state == "failed"
    # What is started runs here and now, so that a test can wait for it.
    monkeypatch.setattr(
        "brave_bridge.workbench.beginning.launch.start_runner",
        lambda words, name, state, runtime=None, ready=None: carry_out(
            desk.machine.root, "petrel", name
        ),
    )
    monkeypatch.setattr("brave_bridge.cli.application.Desk", lambda target: desk)
    # A runner that is loaded beside would open the demo's own machine.
    monkeypatch.setattr("brave_bridge.cli.application.can_be_copied", lambda: False)
    return desk


def mend(desk) -> None:
    desk.machine.files.remove("/var/lib/tidebase")


@pytest.fixture
def run(left_open, capsys):
    def command(*words: str):
        capsys.readouterr()
        code = run_words(["--demo", "petrel", *words])
        seen = capsys.readouterr()
        return code, seen.out + seen.err

    return command


def test_who_logs_in_is_told_until_the_leg_is_whole(left_open, run):
    told = left_open.machine.files.read(NOTICE, 2000).decode()
    assert "5.3 bowline to 7 diamond was begun on this machine and is not whole" in told
    assert "It stands at stage two: " in told and "brave-bridge go-on; back: " in told
    mend(left_open)
    code, said = run("go-on", "--yes")
    assert code == 0, said
    assert not (left_open.machine.root / NOTICE.lstrip("/")).parent.exists()


def test_however_often_it_is_gone_on_with_half_done_is_not_whole(left_open, run):
    for _ in range(3):
        code, output = run("go-on", "--yes")
        assert code == 3 and "half done: quay-tidebase (half-configured)" in output, output
        assert output.count("post-installation script") == 1 and "is whole" not in output
        assert left_open.survey().facts.broken, "there is something half done"
    mend(left_open)
    code, output = run("go-on", "--yes")
    assert code == 0 and not left_open.survey().facts.broken, output


def test_an_open_leg_is_told_by_survey_next_line_and_refusals(left_open, run, monkeypatch):
    surveyed = left_open.survey()
    told = next(f for f in surveyed.findings if f.id == "open-leg")
    assert (
        told.verdict.name == "STOP" and "is not whole" in told.title and not told.can_be_overruled
    )
    assert (
        "stage two" in told.evidence and "go-on" in told.remedy and "return trial-4" in told.remedy
    )
    monkeypatch.setattr("brave_bridge.workbench.reading.Desk", lambda target: left_open)
    record = read_machine(FleetMember("petrel", "", left_open.target))
    assert "mend the cause and go on, or go back" in record.next.words
    for words in (("plan", "--to", "7"), ("cross", "--to", "7", "--yes"), ("update", "--yes")):
        code, output = run(*words)
        assert code == 1 and "is not whole" in output, (words, output)


def test_a_leg_is_gone_on_with_once_the_cause_is_mended(left_open, run):
    code, output = run("go-on", "--yes")
    assert code == 3 and "quay-tidebase" in output, "the cause still stands"
    mend(left_open)
    code, output = run("go-on", "--yes")
    assert code == 0, output
    newest = left_open.procedures()[0]
    assert newest.title.startswith("on with ") and newest.outcome.proof.passed
    assert newest.outcome.ways_back == ("trial-4",)
    assert OPEN_LEG.must_read(left_open.machine.state) is None
    assert "open-leg" not in {f.id for f in left_open.survey().findings if f.verdict.name == "STOP"}
    code, output = run("proof")
    assert code == 0
    code, output = run("go-on")
    assert code == 1 and "nothing is under way" in output


def test_a_leg_is_found_and_gone_on_with_where_the_logbook_is_lost(left_open, run):
    left_open.forget_logbook()
    (left_open.machine.state.folder / "logbook.sqlite").unlink()
    assert any(f.id == "open-leg" and f.verdict.name == "STOP" for f in left_open.survey().findings)
    mend(left_open)
    code, output = run("go-on", "--yes")
    assert code == 0, output
    assert run("proof")[0] == 0


def test_answers_can_be_changed_before_a_leg_is_gone_on_with(left_open, run):
    mend(left_open)
    code, output = run("go-on", "--yes", "--theirs", "/etc/quay-ssh/login.conf")
    assert code == 0, output
    assert b"Allow watch" not in left_open.machine.files.read("/etc/quay-ssh/login.conf", 10_000)
    assert b"Allow watch" in left_open.machine.files.read(
        "/etc/quay-ssh/login.conf.dpkg-old", 10_000
    )


def test_packages_can_be_left_alone_before_a_leg_is_gone_on_with(left_open, run):
    """quay-tidebase cannot be configured here; the person does without it."""
    mend(left_open)
    code, output = run("go-on", "--yes", "--exclude", "quay-post", "--remove", "quay-editor")
    assert code == 0, output
    present = {package.name for package in left_open.facts().installed}
    assert "quay-editor" not in present and "quay-webd" in present
    code, output = run("proof")
    assert code == 0 and "quay-editor" in output, output


def test_a_return_ends_an_open_leg(left_open, run):
    code, output = run("return", "trial-4", "--yes")
    assert code == 0, output
    assert OPEN_LEG.must_read(left_open.machine.state) is None
    assert left_open.survey().release.key == "5.3"


def test_an_open_leg_that_cannot_be_read_still_stands_in_the_way(left_open, run):
    left_open.machine.state.write(OPEN_LEG.name, b"{")
    told = next(f for f in left_open.survey().findings if f.id == "open-leg")
    assert told.verdict.name == "STOP"
    code, output = run("go-on", "--yes")
    assert code == 1 and "go back to the way back before it" in output
    assert run("return", "trial-4", "--yes")[0] == 0
    assert OPEN_LEG.must_read(left_open.machine.state) is None


def test_mending_keeps_to_the_policy_of_a_stage_and_goes_on_until_nothing_is_open(left_open):
    finding = next(f for f in left_open.survey().findings if f.id == "broken-packages" and f.fix)
    mend(left_open)
    identifier = Readiness(left_open).begin_remedy(finding)
    row = left_open.logbook().procedure(identifier)
    assert row.state == "done", row.outcome
    assert not left_open.facts().broken
    commands = [
        json.loads(entry.request)["argv"]
        for entry in left_open.logbook().entries(identifier)
        if entry.kind == "Run"
    ]
    assert commands and all(
        "--force-confold" in words or "Dpkg::Options::=--force-confold" in words
        for words in commands
        if words[0] in ("dpkg", "apt-get")
    )
    kinds = [entry.kind for entry in left_open.logbook().entries(identifier)]
    assert kinds[0] == "GuardServices" and kinds[-1] == "UnguardServices"


SWAP = FileSwap(newer="/etc/a.conf.dpkg-dist", present="/etc/a.conf", saved="/etc/a.conf.dpkg-old")


class Killed(BaseException):
    pass


def killed_at(machine, monkeypatch, step: int):
    """Let the step-th change of a file be the last that happens."""
    count = 0
    write, remove = machine.files.write, machine.files.remove

    def counted(deed):
        def done(*words, **more):
            nonlocal count
            count += 1
            if count > step:
                raise Killed
            return deed(*words, **more)

        return done

    monkeypatch.setattr(machine.files, "write", counted(write))
    monkeypatch.setattr(machine.files, "remove", counted(remove))


@pytest.mark.parametrize("step", range(6))
@pytest.mark.parametrize("older", [None, b"of an earlier leg"])
def test_no_kill_loses_a_version_of_a_config_file(stand_in, monkeypatch, step, older):
    machine = stand_in("avocet").machine
    contents = {SWAP.present: b"mine", SWAP.newer: b"theirs"}
    if older:
        contents[SWAP.saved] = older
    for path, content in contents.items():
        machine.files.write(path, content)
    request = SwapFiles(title="", swaps=(SWAP,))
    with monkeypatch.context() as patched:
        killed_at(machine, patched, step)
        try:
            swap_files(machine, request, "trial-9")
        except Killed:
            there = {
                machine.files.read_if_there(path, 99)
                for path in machine.files.matching("/etc/a.conf*")
            }
            assert {b"mine", b"theirs"} <= there, "killed with a version lost"
    assert swap_files(machine, request, "trial-9").paths == ("/etc/a.conf",)
    assert machine.files.read("/etc/a.conf", 99) == b"theirs"
    saved = "/etc/a.conf.dpkg-old.1" if older else "/etc/a.conf.dpkg-old"
    assert machine.files.read(saved, 99) == b"mine"
    assert older is None or machine.files.read(SWAP.saved, 99) == older
    assert not machine.files.is_file(SWAP.newer)


def test_an_old_saved_file_is_no_sign_that_a_swap_is_done(stand_in):
    machine = stand_in("avocet").machine
    machine.files.write(SWAP.present, b"mine")
    machine.files.write(SWAP.saved, b"of an earlier leg")
    assert swap_files(machine, SwapFiles(title="", swaps=(SWAP,)), "trial-9").paths == ()
    assert machine.files.read(SWAP.present, 99) == b"mine"


@pytest.mark.parametrize("step", range(5))
def test_no_kill_leaves_a_folder_with_a_part_of_what_replaces_it(stand_in, monkeypatch, step):
    machine = stand_in("avocet").machine
    for path in ("/new/a", "/new/b", "/new/lock", "/lists/b", "/lists/old", "/lists/lock"):
        machine.files.write(path, path.encode())
    request = ReplaceFiles(title="", source="/new", target="/lists", but_for=("lock",))
    with monkeypatch.context() as patched:
        killed_at(machine, patched, step)
        with suppress(Killed):
            replace_files(machine, request)
    assert replace_files(machine, request).detail == "2 files"
    contents = [machine.files.read(path, 99) for path in machine.files.below("/lists")]
    assert contents == [b"/new/a", b"/new/b", b"/lists/lock"]

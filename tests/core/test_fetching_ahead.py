"""What a leg fetches while its way back is made, by scripted replies."""

import pytest

from brave_bridge.core.crossing.ahead import PLACE
from brave_bridge.core.crossing.replies import Failed, FileText, PackagesPlanned, Ran
from brave_bridge.core.crossing.requests import (
    Begin,
    GuardServices,
    PlanPackages,
    RemoveFolder,
    ReplaceFiles,
    Run,
    TakeSnapshot,
    WriteFiles,
)
from brave_bridge.core.formats.apt_sources import SourceFile
from brave_bridge.core.packages.changes import with_what_stays
from brave_bridge.families.deb.ahead import FOLDER, files_ahead
from tests.core.test_cross_script import REHEARSAL, Machine, cross, is_ahead, runs
from tests.support.facts import NEW_SOURCES, facts, package, plan

GONE = Failed("moving", "cross-device link")
REFUSED = Ran(100, "E: 404\n", 1, "j")


def index(machine: Machine, kind: type) -> int:
    return next(n for n, request in enumerate(machine.asked) if isinstance(request, kind))


def cleared(machine: Machine) -> bool:
    return any(r.folder == PLACE for r in machine.asked if isinstance(r, RemoveFolder))


def test_it_is_begun_before_the_snapshot_and_waited_for_behind_the_sources():
    machine = Machine()
    assert cross(machine).state == "done"
    assert index(machine, Begin) < index(machine, TakeSnapshot) < index(machine, Run)
    begun = machine.asked[index(machine, Begin)].run
    assert begun.first[-1] == "update" and "--download-only" in begun.argv
    waited = machine.asked[index(machine, Run)]
    assert (waited.job, waited.argv) == ("ahead", begun.argv)
    assert "update" not in machine.ran() and cleared(machine)
    ours = [r for r in machine.written() if is_ahead(r)]
    assert all(file.path.startswith(FOLDER) for r in ours for file in r.files)


@pytest.mark.parametrize(
    ("matches", "reply"),
    [
        (runs("wait"), REFUSED),
        (runs("wait"), Ran(-1, "", 1, "j", lost=True)),
        (lambda r: isinstance(r, Begin), Failed("starting", "no process")),
        (is_ahead, Failed("writing", "no space")),
        (lambda r: isinstance(r, ReplaceFiles), GONE),
    ],
)
def test_where_it_does_not_go_the_leg_fetches_in_its_turn(matches, reply):
    machine = Machine().instead(matches, reply, times=1)
    assert cross(machine).state == "done"
    assert "update" in machine.ran() and cleared(machine)


def test_a_snapshot_that_fails_leaves_nothing_of_it():
    machine = Machine().instead(lambda r: isinstance(r, TakeSnapshot), Failed("copying", "no room"))
    assert cross(machine).at == "way back"
    assert machine.ran() == ["wait"] and cleared(machine)


def test_services_that_cannot_be_guarded_leave_nothing_of_it_either():
    refused = Failed("guarding", "read-only")
    machine = Machine().instead(lambda r: isinstance(r, GuardServices), refused)
    assert cross(machine).at == "guard"
    assert machine.ran() == ["wait"] and cleared(machine)


def test_a_password_is_not_written_a_second_time():
    text = NEW_SOURCES.text.replace("http://", "http://mooring:secret@")
    secret = plan(source_files=(SourceFile("/etc/apt/sources.list", text),))
    assert files_ahead(secret, "") == ()
    machine = Machine()
    cross(machine, secret)
    assert not any(isinstance(request, Begin) for request in machine.asked)
    assert not any(map(is_ahead, machine.written()))


def test_hooks_of_an_update_do_not_take_our_lists_for_the_machines():
    files = files_ahead(plan(), "choice")
    assert FileText(f"{FOLDER}/preferences", "choice") in files
    assert any("#clear APT::Update::Post-Invoke-Success;" in file.text for file in files)
    assert all(isinstance(file, FileText) for file in files) and WriteFiles(title="", files=files)


def test_what_it_told_is_the_rehearsal_where_the_plan_is_the_same():
    there = with_what_stays(plan().packages, facts().installed, "amd64")
    for unchanged, again in ((there.unchanged, False), ({"quay-lamp": "1"}, True)):
        planned = PackagesPlanned((plan(unchanged=unchanged).packages,))
        machine = Machine().instead(lambda r: isinstance(r, PlanPackages), planned)
        machine.instead(runs("wait"), Ran(0, REHEARSAL, 1, "j"))
        assert cross(machine).state == "done"
        assert ("rehearsal" in machine.ran(), "download" in machine.ran()) == (again, again)


def test_a_rehearsal_ahead_that_is_other_than_the_plan_is_asked_again():
    other = REHEARSAL.replace("   libtls1 (1)\n", "   libtls1 (1)\n   quay-lamp (1)\n")
    there = with_what_stays(plan().packages, facts().installed, "amd64")
    planned = PackagesPlanned((there,))
    machine = Machine().instead(lambda r: isinstance(r, PlanPackages), planned)
    machine.instead(runs("wait"), Ran(0, other, 1, "j")).instead(
        runs("rehearsal"), Ran(1, other, 1, "j")
    )
    assert cross(machine).at == "agreement" and "stage one" not in machine.ran()


def test_what_stays_is_named_as_the_planner_names_it():
    installed = (
        package("quay-webd", "1"),
        package("libtide", "3", architecture="i386"),
        package("quay-lamp", "2"),
        package("quay-gone", "1", state="config-files"),
    )
    stays = with_what_stays(plan().packages, installed, "amd64").unchanged
    assert stays == {"libtide:i386": "3", "quay-lamp": "2"}

"""Kernels of stand-ins: added, taken away, a series held through a leg."""

import pytest

from brave_bridge.core.crossing.kernels.change_kernels import KernelChange
from brave_bridge.families.registry import family_named
from brave_bridge.machines.standin import live
from brave_bridge.runner.briefs import HoldBrief, KernelsBrief, UpdateBrief
from brave_bridge.workbench.boot.booting import boot_seen
from brave_bridge.workbench.boot.kernel_drivers import driver_report
from brave_bridge.workbench.boot.kernel_series import kernel_holds
from brave_bridge.workbench.boot.kernels import kernels_to_remove
from brave_bridge.workbench.boot.offered_kernels import (
    fetched_branch,
    must_be_offered,
    offered_kernels,
)
from brave_bridge.workbench.planning.tasks import tasks_of
from brave_bridge.workbench.refusal import Refused
from tests.standin.test_restarts import cross, described
from tests.standin.test_trials import next_kernel, tried, with_newer_kernel
from tests.support.runs import begin, carry_out, contents, outcome_of

OLD, NEW = "5.19.0-4", "5.19.0-7"
HOLD = "/etc/apt/preferences.d/brave-bridge-kernels"


def carried_out(desk, brief, name: str):
    begin(desk, brief, name)
    assert carry_out(desk.machine.root, desk.machine.name, name) == 0
    return outcome_of(desk.machine.root, desk.machine.name, name)


def changed(desk, name: str = "kernels", **wanted):
    return carried_out(desk, KernelsBrief("deb", KernelChange(**wanted)), name)


def hold_brief(desk, series: str) -> HoldBrief:
    followers = [p for p in desk.facts().kernel_packages if p.needs]
    file = family_named("deb").kernel_holding.hold(desk.facts(), {}, series, followers)
    return HoldBrief("deb", file, series)


def test_a_kernel_that_a_source_has_is_added_and_then_tried(stand_in):
    desk = stand_in("avocet")
    offered = {one.kernel: one.is_here for one in offered_kernels(desk)}
    assert offered == {NEW: False, OLD: True}
    with pytest.raises(Refused, match="it is installed"):
        must_be_offered(desk, OLD)
    with pytest.raises(Refused, match=f"they have: {NEW}"):
        must_be_offered(desk, "5.20.0-1")
    wanted = must_be_offered(desk, NEW)
    outcome = changed(desk, add=((wanted.package, wanted.version),))
    assert outcome.state == "done" and len(outcome.ways_back) == 1
    assert any(f"boot-once {NEW}" in words for words in outcome.warnings)
    # It is there, and nothing else was brought up to date with it.
    assert {u.name for u in desk.facts().updates} == {
        "libtls1",
        "quay-linux",
        "quay-log",
        "quay-ssh",
    }
    assert next_kernel(desk) == OLD and live.load(desk.machine.root).kernel == OLD
    assert tried(desk, NEW).proof.passed and next_kernel(desk) == NEW


def test_one_kernel_of_a_branch_comes_without_the_branch(stand_in):
    desk = stand_in("avocet")
    sources = desk.facts().source_files
    with pytest.raises(Refused, match="it is no source"):
        fetched_branch(desk, "carrick main")
    with pytest.raises(Refused, match="asking deb"):
        fetched_branch(desk, "deb http://archive.quayside.example/quayside nowhere main")
    uri = next(entry.uris[0] for entry in desk.facts().sources)
    lists = fetched_branch(desk, f"deb {uri} carrick main")
    wanted = must_be_offered(desk, "6.1.0-9", lists=lists)
    outcome = changed(desk, add=wanted.packages, branch=lists)
    assert outcome.state == "done", outcome
    assert {kernel.version for kernel in desk.facts().kernels} == {OLD, "6.1.0-9"}
    assert next_kernel(desk) == OLD
    assert desk.facts().source_files == sources
    assert not desk.machine.files.matching("/var/cache/brave-bridge/*")
    assert {u.name for u in desk.facts().updates} >= {"libtls1", "quay-linux"}


def test_another_series_is_a_leg_of_its_own_with_way_back_restart_and_proof(stand_in):
    desk = stand_in("avocet")
    wanted = must_be_offered(desk, NEW)
    change = KernelChange(add=wanted.packages)
    outcome = carried_out(desk, KernelsBrief("deb", change, True), "kernels")
    assert outcome.state == "done" and outcome.proof.passed and outcome.ways_back, outcome
    assert live.load(desk.machine.root).kernel == NEW and next_kernel(desk) == NEW
    assert desk.survey().facts.kernel_that_came_up == NEW


def test_one_that_does_not_come_up_is_not_kept(stand_in):
    desk = stand_in("avocet")
    described(desk, troubles=[live.OLD_KERNEL])
    change = KernelChange(add=must_be_offered(desk, NEW).packages)
    outcome = carried_out(desk, KernelsBrief("deb", change, True), "kernels")
    assert (outcome.state, outcome.at) == ("failed", "came up") and outcome.ways_back
    assert live.load(desk.machine.root).kernel == OLD and next_kernel(desk) == OLD


def test_an_old_kernel_goes_and_nothing_else_does(stand_in):
    desk = stand_in("avocet")
    assert carried_out(desk, UpdateBrief("deb"), "update").state == "done"
    live.restart(desk.machine.root)
    with pytest.raises(Refused, match="2 kernels have to stay, and 1 would"):
        kernels_to_remove(desk, (OLD,), old=False)
    with_newer_kernel(desk)
    with pytest.raises(Refused, match="it is what runs"):
        kernels_to_remove(desk, (NEW,), old=False)
    with pytest.raises(Refused, match="it is not installed"):
        kernels_to_remove(desk, ("4.4.0-1",), old=False)
    # The way back of the update was taken with it.
    with pytest.raises(Refused, match="none is old"):
        kernels_to_remove(desk, (), old=True)
    assert kernels_to_remove(desk, (OLD,), old=False) == (OLD,)
    before = {p.name for p in desk.facts().installed}
    outcome = changed(desk, remove=(OLD,))
    assert outcome.state == "done", outcome
    assert before - {p.name for p in desk.facts().installed} == {f"quay-linux-image-{OLD}"}
    seen = boot_seen(desk.facts())
    assert OLD not in {kernel.version for kernel in seen.kernels} and not seen.faults


def test_behind_a_proof_the_kernels_that_may_go_are_a_task(stand_in):
    desk = stand_in("petrel")
    assert cross(desk, "7").proof.passed
    with_newer_kernel(desk)

    def told():
        return [task for task in tasks_of(desk) if task.key.startswith("old-kernels:")]

    assert len(desk.facts().kernels) == 3 and not told(), "a way back was taken with the oldest"
    for kept in desk.snapshots.listed():
        desk.snapshots.delete(kept.snapshot.id, "it is proven")
    (task,) = told()
    assert f"1 old kernel away: brave-bridge remove-kernels --old ({OLD})" in task.text
    going = kernels_to_remove(desk, (), old=True)
    assert changed(desk, remove=going).state == "done" and not told()


def test_a_newer_kernel_drives_what_the_old_one_does_not(stand_in):
    desk = stand_in("gannet")
    with pytest.raises(Refused, match="no source has it"):
        driver_report(desk, "9.9")
    (wanted,) = boot_seen(desk.facts()).wanted
    assert (wanted.series, wanted.release) == ("5.19", "5.3 bowline")
    assert cross(desk, "5.3").state == "done"
    assert desk.facts().kernel_that_came_up == OLD
    report = driver_report(desk, "5.10.0-26")
    (lost,) = report.changes
    assert report.undriven == (("2-1", lost.modalias),)
    assert (lost.modules, lost.gained) == (("dock_net",), False)


def test_a_kernel_that_is_only_offered_is_told_by_what_its_package_ships(stand_in):
    desk = stand_in("avocet")
    for name, modalias in (("1-4", "usb:v1209p0001d0300"), ("2-1", "usb:v1209pD0C5d0100")):
        folder = desk.machine.root / f"sys/bus/usb/devices/{name}"
        folder.mkdir(parents=True)
        (folder / "modalias").write_text(f"{modalias}\n")
    report = driver_report(desk, NEW)
    assert report.against == OLD and report.devices == 2 and not report.changes
    builtin = desk.machine.root / f"usr/lib/modules/{OLD}/modules.builtin.modinfo"
    builtin.write_bytes(b"usbhid.alias=usb:v1209p0001*\0")
    (gained,) = driver_report(desk, NEW).changes
    assert (gained.device, gained.modules, gained.gained) == ("2-1", ("dock_net",), True)


def test_what_must_stay_stays_although_the_script_is_asked(stand_in):
    desk = stand_in("petrel")
    before = contents(desk.machine.root)
    outcome = changed(desk, remove=(OLD,))
    assert (outcome.state, outcome.at) == ("stopped", "ready") and "it is what runs" in outcome.why
    assert contents(desk.machine.root) == before


def test_nothing_changes_where_the_package_manager_would_do_more(stand_in):
    desk = stand_in("avocet")
    # A package that needs the newer library: it cannot come alone.
    before = contents(desk.machine.root)
    outcome = changed(desk, add=(("quay-linux", "5.19.7"),))
    assert (outcome.state, outcome.at) == ("stopped", "rehearsal")
    assert contents(desk.machine.root) == before and not desk.snapshots.all()


def test_a_held_series_stays_through_a_leg_and_is_let_go_in_one_step(stand_in):
    desk = stand_in("petrel")
    outcome = carried_out(desk, hold_brief(desk, "5.19"), "hold")
    assert outcome.state == "done", outcome
    (hold,) = kernel_holds(desk.facts())
    assert (hold.series, hold.packages, hold.is_ours) == ("5.19", ("quay-linux",), True)
    findings = {finding.id: finding for finding in desk.survey("7").findings}
    assert "Held at kernels 5.19" in findings["kernel-series"].title
    assert "No pin" in findings["holding-pins"].title
    crossed = cross(desk, "7")
    assert crossed.state == "done" and crossed.proof.passed, crossed
    facts = desk.facts()
    assert facts.identity.version_id == "7" and live.load(desk.machine.root).kernel == OLD
    assert not any(update.name == "quay-linux" for update in facts.updates)
    assert [kernel.version for kernel in facts.kernels] == [OLD]
    (coming,) = boot_seen(facts).coming
    assert (coming.series, coming.held_back) == ("6.6", True)
    go = HoldBrief("deb", family_named("deb").kernel_holding.let_go({}, hold.where))
    assert carried_out(desk, go, "go").state == "done"
    assert not desk.machine.files.matching(HOLD) and not kernel_holds(desk.facts())
    assert any(update.name == "quay-linux" for update in desk.facts().updates)


def test_a_hold_that_does_not_hold_is_taken_back(stand_in):
    desk = stand_in("avocet")
    brief = hold_brief(desk, "5.19")
    wrong = brief.file.text.replace("version 5.19.*", "version 5.18.*")
    outcome = carried_out(desk, HoldBrief("deb", type(brief.file)(HOLD, wrong), "5.19"), "hold")
    assert outcome.state == "stopped" and not desk.machine.files.matching(HOLD)
    assert not any(hold.is_ours for hold in kernel_holds(desk.facts()))

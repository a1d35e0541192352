"""A kernel on trial on stand-ins: tried once, fallen back from, kept once proven."""

from brave_bridge.bootloaders.known import read_loader
from brave_bridge.core.boot.loader_faults import next_entry
from brave_bridge.machines.standin import live
from brave_bridge.runner.briefs import BootOnceBrief
from tests.standin.test_restarts import cross, described
from tests.support.runs import begin, carry_out, outcome_of

NEWER = "6.6.0-99"


def with_newer_kernel(desk):
    """The machine with a second kernel, which its menu takes first."""
    files = desk.machine.files
    running = desk.facts().boot.kernel
    entry = files.read(f"/boot/loader/entries/quayside-{running}.conf", 9999).decode()
    files.write(
        f"/boot/loader/entries/quayside-{NEWER}.conf", entry.replace(running, NEWER).encode()
    )
    for name in ("vmlinuz", "initrd.img"):
        files.write(f"/boot/{name}-{NEWER}", b"an image")
    return running


def tried(desk, kernel: str):
    begin(desk, BootOnceBrief(kernel), "once")
    assert carry_out(desk.machine.root, desk.machine.name, "once") == 0
    return outcome_of(desk.machine.root, desk.machine.name, "once")


def next_kernel(desk) -> str:
    return next_entry(read_loader(desk.machine)).kernel


def test_a_kernel_is_tried_and_kept_once_it_is_proven(stand_in):
    desk = stand_in("petrel")
    with_newer_kernel(desk)
    outcome = tried(desk, NEWER)
    assert outcome.state == "done" and outcome.proof.passed, outcome
    assert live.load(desk.machine.root).kernel == NEWER and next_kernel(desk) == NEWER
    assert not desk.machine.files.matching("/boot/loader/entries/brave-bridge-*")


def test_one_that_does_not_come_up_leaves_the_machine_on_the_old_one(stand_in):
    desk = stand_in("petrel")
    running = with_newer_kernel(desk)
    described(desk, troubles=[live.OLD_KERNEL])
    outcome = tried(desk, NEWER)
    assert (outcome.state, outcome.at) == ("failed", "came up")
    assert f"{running} runs, and every boot takes it" in outcome.safe
    assert next_kernel(desk) == running
    live.restart(desk.machine.root)
    assert live.load(desk.machine.root).kernel == running


def test_one_on_which_a_service_fails_is_not_kept(stand_in):
    desk = stand_in("petrel")
    running = with_newer_kernel(desk)
    described(desk, troubles=["fails: quay-webd.service"])
    outcome = tried(desk, NEWER)
    assert (outcome.state, outcome.at) == ("failed", "proof") and "quay-webd" in outcome.why
    assert live.load(desk.machine.root).kernel == NEWER and next_kernel(desk) == running


def test_the_kernel_of_a_leg_is_on_trial_until_its_proof(stand_in):
    desk = stand_in("petrel")
    outcome = cross(desk, "7")
    assert outcome.state == "done" and outcome.proof.passed
    kinds = [entry.kind for entry in desk.logbook().entries("trial")]
    assert kinds.count("ArrangeTrial") == 1 and kinds.count("EndTrial") == 2
    assert not desk.machine.files.matching("/boot/loader/entries/brave-bridge-*")
    told = [e for e in desk.logbook().entries("trial") if e.kind == "ArrangeTrial"]
    assert "once, then" in told[0].note

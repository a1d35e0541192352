"""Booting a kernel once, by scripted replies."""

import msgspec
import pytest

from brave_bridge.core.boot.grub_trial import without_trial
from brave_bridge.core.crossing.kernels.boot_once import boot_once
from brave_bridge.core.crossing.replies import Answered, FactsRead, Failed, Restarted, TrialArranged
from brave_bridge.core.crossing.requests import (
    ArrangeTrial,
    Ask,
    AwaitAnswer,
    EndTrial,
    ReadFacts,
    Restart,
)
from brave_bridge.core.formats.guests import Guest
from brave_bridge.core.survey.topic import TopicSeen
from tests.core.test_cross_script import Machine, drive
from tests.core.test_restart_script import NEW, OLD, up
from tests.core.test_trials import MENU_OF_BOTH
from tests.support.facts import facts


def seen(kernel: str, boot: str, **units: str):
    topics = (
        TopicSeen("system", {"kernel": kernel}),
        TopicSeen("units", {f"{name}.service": state for name, state in units.items()}),
    )
    return msgspec.structs.replace(up(facts(), kernel, boot, loader=MENU_OF_BOTH), topics=topics)


class Trying(Machine):
    """A machine on OLD that comes up as it is given."""

    def __init__(self, after) -> None:
        super().__init__()
        self.now, self.after = seen(OLD, "a", webd="active"), after

    def _healthy(self, request):
        match request:
            case ReadFacts():
                return FactsRead(self.now)
            case ArrangeTrial():
                return TrialArranged("new", "old", ("back by itself",))
            case Restart():
                self.now = self.after
                return Restarted(self.now.boot.id, 9.0)
        return super()._healthy(request)

    def ended(self) -> list[EndTrial]:
        return [request for request in self.asked if isinstance(request, EndTrial)]


def test_what_is_proven_becomes_the_default():
    machine = Trying(seen(NEW, "b", webd="active"))
    outcome = drive(boot_once(NEW), machine)
    assert outcome.state == "done" and outcome.proof.passed
    watch, kept = machine.ended()
    assert watch.watch_only and (kept.watch_only, kept.kernel) == (False, NEW)
    asked = next(request for request in machine.asked if isinstance(request, Ask))
    assert "back by itself" in asked.detail


def test_an_older_one_on_purpose_is_no_regression():
    machine = Trying(seen(OLD, "b", webd="active"))
    machine.now = seen(NEW, "a", webd="active")
    outcome = drive(boot_once(OLD), machine)
    assert outcome.state == "done" and outcome.proof.passed, outcome


@pytest.mark.parametrize(
    ("after", "at", "why", "safe", "next_step"),
    [
        (seen(OLD, "b"), "came up", f"{NEW} was expected", f"{OLD} runs", "console"),
        (
            seen(NEW, "b", webd="failed"),
            "proof",
            "webd",
            f"every further boot takes {OLD}",
            "restart to have",
        ),
    ],
)
def test_what_is_not_well_is_told_and_never_made_the_default(after, at, why, safe, next_step):
    machine = Trying(after)
    outcome = drive(boot_once(NEW), machine)
    assert (outcome.state, outcome.at) == ("failed", at), outcome
    assert why in outcome.why and safe in outcome.safe and next_step in outcome.next_step
    assert all(request.watch_only for request in machine.ended())


def test_nothing_is_restarted_where_nothing_would_bring_it_back():
    machine = Trying(seen(NEW, "b"))
    machine.instead(lambda r: isinstance(r, ArrangeTrial), Failed("trying", "on btrfs"))
    outcome = drive(boot_once(NEW), machine)
    assert (outcome.state, outcome.at) == ("stopped", "trial") and "on btrfs" in outcome.why
    assert not [r for r in machine.asked if isinstance(r, Restart)]
    same = Trying(seen(NEW, "b"))
    assert drive(boot_once(OLD), same).at == "ready"


def test_a_guest_that_does_not_stop_takes_the_trial_back():
    machine = Trying(seen(NEW, "b", webd="active"))
    guests = (Guest("tide-archive", "libvirt", "running"),)
    at_work = msgspec.structs.replace(machine.now.activity, guests=guests)
    machine.now = msgspec.structs.replace(machine.now, activity=at_work)
    machine.instead(lambda r: isinstance(r, AwaitAnswer), Failed("waiting", "it is still: running"))
    machine.instead(lambda r: isinstance(r, Ask) and "shut down" in r.title, Answered("stop", "-"))
    outcome = drive(boot_once(NEW), machine)
    assert (outcome.state, outcome.at) == ("stopped", "restart")
    assert "tide-archive does not shut down" in outcome.why
    assert not [r for r in machine.asked if isinstance(r, Restart)]
    (taken_back,) = machine.ended()
    assert not taken_back.watch_only and not taken_back.kernel


@pytest.mark.parametrize(
    ("given", "left"),
    [
        ("root=LABEL=a ro panic=10 brave_bridge.trial=x-1", "root=LABEL=a ro"),
        ("panic=60 ro panic=10 brave_bridge.trial=x quiet", "panic=60 ro  quiet"),
        ("ro brave_bridge.trial=x", "ro"),
        ("ro panic=30 quiet", "ro panic=30 quiet"),
    ],
)
def test_what_a_trial_gave_a_kernel_is_not_the_machine_s_own(given, left):
    assert without_trial(given) == left

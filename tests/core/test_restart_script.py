"""The end of a leg: restarted where that is needed, what came up looked at, then up to date."""

import msgspec
import pytest

from brave_bridge.core.crossing.cross import cross_route
from brave_bridge.core.crossing.open_leg import OpenLeg
from brave_bridge.core.crossing.replies import (
    Answered,
    Done,
    FactsRead,
    Failed,
    Ran,
    Restarted,
    StopsSeen,
)
from brave_bridge.core.crossing.requests import (
    ArrangeGoingOn,
    Ask,
    AwaitRestart,
    Checkpoint,
    CloseLeg,
    KeepOpenLeg,
    LookForStops,
    ReadFacts,
    Restart,
    Run,
)
from brave_bridge.core.crossing.restart import (
    AGAIN,
    BY_HAND,
    FORCE,
    LEAVE,
    NOW,
    STARTED,
    WITHOUT,
    expected_kernel,
)
from brave_bridge.core.crossing.surroundings import Setting, Surroundings
from brave_bridge.core.crossing.two_stages import TwoStages
from brave_bridge.core.formats.systemd import Unit
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.steps import RestartStep
from brave_bridge.core.survey.activity import Activity
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.platform import Boot, Kernel, LastBoot
from brave_bridge.families.deb.commands import DebCommands
from tests.core.test_cross_script import Machine, crossed_facts, deed_of, drive
from tests.support.facts import facts, plan

OLD, NEW = "5.19.0-4", "6.6.0-11"
WANTED = Activity(restart_wanted=True, restart_wanted_by=("quay-linux-image",))


def with_restart() -> LegPlan:
    return plan().with_step(RestartStep(because=("kernel changes: quay-linux-image",)))


def up(made: Facts, kernel: str, boot: str, **changes) -> Facts:
    images = tuple(
        Kernel(name, f"/boot/vmlinuz-{name}", 1, initrd=f"/boot/initrd.img-{name}")
        for name in (OLD, NEW)
    )
    known = {"boot": Boot(kernel=kernel, id=boot), "kernels": images, **changes}
    return msgspec.structs.replace(made, **known)


class Restarting(Machine):
    """A machine that comes up as ``boots`` say, one after the other."""

    def __init__(self, *boots: Facts) -> None:
        super().__init__()
        self.boots = list(boots)
        self.now = up(crossed_facts(), OLD, "a", activity=WANTED)

    def _healthy(self, request):
        match request:
            case ReadFacts() if self.crossed:
                return FactsRead(self.now)
            case ReadFacts():
                old = (Kernel(OLD, f"/boot/vmlinuz-{OLD}", 1),)
                return FactsRead(facts(boot=Boot(kernel=OLD, id="a"), kernels=old))
            case Restart() | AwaitRestart():
                self.now = self.boots.pop(0)
                return Restarted(self.now.boot.id, 30.0)
        return super()._healthy(request)

    def answering(self, **choices: str) -> "Restarting":
        for key, choice in choices.items():
            name = key.replace("_", "-")
            self.instead(
                lambda r, name=name: isinstance(r, Ask) and r.key == name,
                Answered(choice, "person"),
            )
        return self

    def kinds(self) -> list[str]:
        return [type(request).__name__ for request in self.asked]


def well() -> Facts:
    return up(crossed_facts(), NEW, "b")


def cross(machine: Restarting, *plans: LegPlan, **options):
    script = cross_route(TwoStages(DebCommands()), plans or (with_restart(),), **options)
    return drive(script, machine)


def test_a_leg_ends_when_the_restarted_system_is_proven():
    machine = Restarting(well())
    outcome = cross(machine)
    assert outcome.state == "done" and outcome.proof.passed
    kinds = machine.kinds()
    order = ["ArrangeGoingOn", "Restart", "CloseLeg", "ExpireSnapshots"]
    assert [kind for kind in kinds if kind in order] == order
    (row,) = [d for d in outcome.proof.differences if d.subject == "restart"]
    assert row.after == f"up, kernel {NEW}"
    # Kept before it went down: whoever finds only the machine begins at the restart.
    kept = [r.leg.at for r in machine.asked if isinstance(r, KeepOpenLeg)]
    assert kept == ["sources", "restart"]


def test_where_nothing_needs_it_there_is_no_restart():
    machine = Restarting()
    machine.now = up(crossed_facts(), NEW, "a")
    outcome = cross(machine, plan())
    assert outcome.state == "done"
    assert not {"Restart", "ArrangeGoingOn", "AwaitRestart"} & set(machine.kinds())


def test_a_container_without_kernel_and_init_is_not_restarted_by_us():
    machine = Restarting()
    machine.now = msgspec.structs.replace(crossed_facts(), activity=WANTED, kernels=())
    outcome = cross(machine)
    assert "Restart" not in machine.kinds()
    assert outcome.warnings[0].startswith("restart what runs this system")
    assert not outcome.proof.passed


def test_the_old_kernel_is_restarted_once_more_and_then_it_is_well():
    machine = Restarting(up(crossed_facts(), OLD, "b"), up(crossed_facts(), NEW, "c"))
    outcome = cross(machine)
    assert outcome.state == "done" and outcome.proof.passed
    (again,) = [r for r in machine.asked if isinstance(r, Ask) and "other than" in r.title]
    assert again.detail == f"kernel {OLD} came up, {NEW} was expected"
    assert again.choices == (AGAIN, LEAVE)


@pytest.mark.parametrize(
    ("boot", "why"),
    [
        (up(crossed_facts(), OLD, "b"), f"kernel {OLD} came up"),
        (
            up(
                crossed_facts(),
                NEW,
                "b",
                activity=Activity(units=(Unit("emergency.service", "active"),)),
            ),
            "emergency state",
        ),
        (up(facts(), NEW, "b"), "7 diamond was expected"),
    ],
)
def test_what_comes_up_wrong_twice_leaves_the_leg_open_with_its_way_back(boot, why):
    machine = Restarting(boot, boot)
    outcome = cross(machine)
    assert outcome.state == "failed" and why in outcome.why
    assert "return s-1" in outcome.next_step and "go-on" in outcome.next_step
    kept = [r.leg for r in machine.asked if isinstance(r, KeepOpenLeg)][-1]
    assert kept.at == "came up" and why in kept.why
    assert not any(isinstance(r, CloseLeg) for r in machine.asked)


def test_a_restart_that_does_not_happen_is_forced_only_where_somebody_says_so():
    hangs = Failed("restarting", "the machine did not come up again")
    machine = Restarting(well()).answering(restart_0_0_force=FORCE)
    machine.instead(lambda r: isinstance(r, Restart) and not r.force, hangs, times=1)
    assert cross(machine).state == "done"
    assert [r.force for r in machine.asked if isinstance(r, Restart)] == [False, True]
    machine = Restarting(well())
    machine.instead(lambda r: isinstance(r, Restart), hangs, times=1)
    assert cross(machine).state == "done"
    assert machine.kinds().count("AwaitRestart") == 1


def test_a_person_restarts_at_a_time_of_their_own():
    machine = Restarting(well()).answering(restart_0_0=BY_HAND)
    assert cross(machine).state == "done"
    assert "Restart" not in machine.kinds() and "AwaitRestart" in machine.kinds()
    (question,) = [r for r in machine.asked if isinstance(r, Ask) and r.key == "restart-0-0"]
    assert question.choices == (NOW, BY_HAND) and "quay-linux-image" in question.detail


def test_how_it_goes_on_after_the_boot_is_said_where_that_is_by_hand():
    machine = Restarting(well())
    machine.instead(lambda r: isinstance(r, ArrangeGoingOn), Done("type brave-bridge go-on"))
    cross(machine)
    (question,) = [r for r in machine.asked if isinstance(r, Ask) and r.key == "restart-0-0"]
    assert "type brave-bridge go-on" in question.detail


class Mounted(Restarting):
    """A tree: it does not run, and tells of its boots by what it wrote down."""

    def __init__(self, *accounts: LastBoot) -> None:
        super().__init__(*(self._tree(account) for account in accounts))
        self.now = self._tree(LastBoot("wtmp 1", OLD))

    @staticmethod
    def _tree(account: LastBoot) -> Facts:
        made = up(crossed_facts(), "", "")
        return msgspec.structs.replace(made, kind="tree", boot=Boot(), last_boot=account)


def test_a_tree_rests_until_it_was_started_and_is_proven_by_its_own_account():
    machine = Mounted(LastBoot("b", NEW, failed=("webd.service",)))
    outcome = cross(machine)
    assert outcome.state == "done" and outcome.proof.passed
    assert "webd.service fails since the restart" in outcome.warnings
    assert [r.boot_id for r in machine.asked if isinstance(r, AwaitRestart)] == ["wtmp 1"]
    (question,) = [r for r in machine.asked if isinstance(r, Ask) and r.key == "restart-0-0"]
    assert question.default == STARTED


def test_a_tree_that_is_gone_on_with_unstarted_is_not_as_good_as_before():
    machine = Mounted().answering(restart_0_0=WITHOUT)
    outcome = cross(machine)
    assert outcome.state == "done" and not outcome.proof.passed
    (row,) = [d for d in outcome.proof.differences if d.subject == "restart"]
    assert row.after == "not started" and row.verdict == "regression"


@pytest.mark.parametrize("at", ["restart", "came up"])
def test_a_leg_whose_restart_was_ahead_is_gone_on_with_there(at):
    begun = OpenLeg(
        family="deb",
        plans=(with_restart(),),
        number=0,
        baseline=facts(boot=Boot(kernel=OLD, id="a")),
        ways_back=("s-1",),
        at=at,
    )
    machine = Restarting(well())
    machine.crossed = True
    outcome = cross(machine, begun=begun)
    assert outcome.state == "done" and outcome.ways_back == ("s-1",)
    assert machine.ran()[:2] == ["update", "full-upgrade"]
    assert "TakeSnapshot" not in machine.kinds()


PENDING = "The following packages will be upgraded:\n   quay-ssh (9.6-3 => 9.6-4)\n"


def test_updates_follow_the_restart_and_may_ask_for_a_second_one():
    pending = [PENDING, "", ""]

    class Updating(Restarting):
        def _healthy(self, request):
            if isinstance(request, Run) and "--assume-no" in request.argv:
                return Ran(0, pending.pop(0), 1.0, "j")
            if isinstance(request, Run) and request.argv[-1] == "upgrade":
                self.now = msgspec.structs.replace(self.now, activity=WANTED)
            return super()._healthy(request)

    machine = Updating(well(), up(crossed_facts(), NEW, "c"))
    outcome = cross(machine)
    assert outcome.state == "done" and outcome.proof.passed
    assert machine.kinds().count("Restart") == 2
    deeds = [deed_of(r) if isinstance(r, Run) else type(r).__name__ for r in machine.asked]
    assert deeds.index("Restart") < deeds.index("upgrade")


def test_updates_of_what_somebody_wanted_left_alone_are_told_and_not_installed():
    machine = Restarting(well())
    machine.instead(
        lambda r: isinstance(r, Run) and "--assume-no" in r.argv, Ran(0, PENDING, 1.0, "j")
    )
    leg = with_restart().with_preference("exclude", "quay-ssh")
    outcome = cross(machine, leg)
    assert "upgrade" not in machine.ran()
    assert any("quay-ssh" in words for words in outcome.warnings)


def two_legs() -> tuple[LegPlan, LegPlan]:
    return with_restart(), with_restart()


def test_between_two_legs_it_is_judged_again_and_a_stop_ends_it_there():
    machine = Restarting(well())
    machine.instead(
        lambda r: isinstance(r, LookForStops), StopsSeen(("No room on /",), "make room"), times=1
    )
    outcome = cross(machine, *two_legs())
    assert (outcome.state, outcome.at, outcome.why) == ("stopped", "ready", "No room on /")
    assert outcome.legs_done == 1 and outcome.next_step == "make room"
    assert "is whole" in outcome.safe
    rested = [(r.leg, r.name) for r in machine.asked if isinstance(r, Checkpoint)]
    assert rested[-1] == (0, "came up")


def test_guests_and_settings_are_left_once_and_before_the_proof():
    around = Surroundings((Setting(("enter",), ("leave",)),))
    machine = Restarting(well())
    outcome = cross(machine, surroundings=around)
    assert outcome.state == "done"
    titles = [request.title for request in machine.asked]
    left = titles.index("Leave the maintenance state")
    restarted = machine.kinds().index("Restart")
    assert restarted < left < titles.index("Read the machine again")


def test_a_kernel_that_somebody_had_not_chosen_is_not_expected():
    older = up(facts(), OLD, "a")
    assert expected_kernel(older, up(facts(), OLD, "a")) == ""
    assert expected_kernel(up(facts(), NEW, "a"), up(facts(), OLD, "b")) == NEW
    assert expected_kernel(facts(kernels=()), facts(kernels=())) == ""

"""The scripts of updates, remedies and what is put back, driven by scripted replies."""

import pytest

from brave_bridge.core.crossing.around_restart import AroundRestart
from brave_bridge.core.crossing.bring_up_to_date import bring_up_to_date
from brave_bridge.core.crossing.guests import GuestName
from brave_bridge.core.crossing.remedy import apply_remedy
from brave_bridge.core.crossing.replies import (
    Answered,
    Awaited,
    Done,
    FactsRead,
    Failed,
    Ran,
    Restarted,
    SettingsChecked,
    SnapshotTaken,
)
from brave_bridge.core.crossing.requests import (
    Ask,
    AwaitAnswer,
    Checkpoint,
    CheckSettings,
    ReadFacts,
    Restart,
    Run,
    TakeSnapshot,
    UnguardServices,
)
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.surroundings import Setting, Surroundings, leave, within
from brave_bridge.core.formats.guests import Guest
from brave_bridge.core.formats.systemd import Unit
from brave_bridge.core.survey.activity import Activity
from brave_bridge.core.survey.platform import Boot
from brave_bridge.families.deb.commands import DebCommands
from tests.core.test_cross_script import drive
from tests.support.facts import facts, package

PENDING = "The following packages will be upgraded:\n   quay-libc (2.31-7 => 2.31-8)\n"
SHRINKING = PENDING + "The following packages will be REMOVED:\n   old-tool (1)\n"
NOTHING = "0 upgraded, 0 newly installed, 0 to remove and 0 not upgraded.\n"
HELD = "The following packages have been kept back:\n   quay-guests (7 => 9)\n"


class Machine:
    """Answers as a healthy machine; ``outlooks`` is what is pending at each look."""

    def __init__(self, *outlooks: str, **replies) -> None:
        self.outlooks = list(outlooks)
        self.replies = replies
        self.asked: list = []
        self.restarted = False

    def reply(self, request):
        self.asked.append(request)
        special = self.replies.get(type(request).__name__)
        answer = special(request) if callable(special) else special
        if answer is not None:
            return answer
        match request:
            case ReadFacts():
                return FactsRead(facts())
            case CheckSettings():
                return SettingsChecked({})
            case TakeSnapshot():
                return SnapshotTaken("s-1", "copy", 10, 100)
            case Ask():
                return Answered(request.default, "default")
            case Run() if "--assume-no" in request.argv:
                return Ran(1, self.outlooks.pop(0), 1, "j")
            case Run():
                return Ran(0, "", 1, "j")
            case _:
                return Done()

    def ran(self) -> list[str]:
        return [r.argv[-1] for r in self.asked if isinstance(r, Run)]


def update(machine: Machine) -> Outcome:
    return drive(bring_up_to_date(DebCommands()), machine)


def test_nothing_pending_changes_nothing_and_makes_no_way_back():
    machine = Machine(NOTHING)
    outcome = update(machine)
    assert (outcome.state, outcome.updated, outcome.ways_back) == ("done", (), ())
    assert not any(isinstance(r, TakeSnapshot) for r in machine.asked)


def test_it_is_looked_again_until_nothing_is_left():
    second = PENDING.replace("quay-libc", "quay-ssh")
    machine = Machine(PENDING, second, HELD)
    outcome = update(machine)
    assert outcome.state == "done" and outcome.ways_back == ("s-1",)
    assert outcome.updated == ("quay-libc 2.31-7 → 2.31-8", "quay-ssh 2.31-7 → 2.31-8")
    assert outcome.left == ("quay-guests: kept back",)
    kinds = [type(r) for r in machine.asked]
    assert kinds.index(TakeSnapshot) < kinds.index(UnguardServices)
    assert machine.ran().count("upgrade") == 2


@pytest.mark.parametrize(("choice", "stages"), [("go on", 1), ("leave them", 0)])
def test_what_would_take_packages_away_is_asked(choice, stages):
    machine = Machine(
        SHRINKING, NOTHING if stages else SHRINKING, Ask=lambda r: Answered(choice, "person")
    )
    outcome = update(machine)
    full = [r for r in machine.asked if isinstance(r, Run) and r.title.startswith("Stage two")]
    assert len(full) == stages
    assert outcome.state == "done"
    assert bool(outcome.left) is not bool(stages)


def test_a_source_that_is_not_reached_is_told_and_the_rest_goes_on():
    def refresh(request):
        failed = "Err:1 http://a.example x InRelease\n  Could not connect\nE: Failed to fetch\n"
        return Ran(100, failed, 1, "j") if request.argv[-1] == "update" else None

    outcome = update(Machine(PENDING, NOTHING, Run=refresh))
    assert outcome.state == "done" and "Could not connect" in outcome.failed_sources[0]


def test_a_failed_download_changes_nothing():
    def no_download(request):
        return Ran(100, "E: disk", 1, "j") if "--download-only" in request.argv else None

    machine = Machine(PENDING, Run=no_download)
    outcome = update(machine)
    assert (outcome.state, outcome.at) == ("stopped", "download")
    assert "no package was changed" in outcome.safe
    assert any(isinstance(r, UnguardServices) for r in machine.asked)


def test_a_stage_that_fails_names_the_way_back():
    def broken(request):
        return Ran(100, "E: broken", 1, "j") if request.argv[-1] == "upgrade" else None

    outcome = update(Machine(PENDING, Run=broken))
    assert (outcome.state, outcome.at) == ("failed", "stage one")
    assert "return s-1" in outcome.next_step


def restart_facts(*failing: str):
    waiting = Activity(restart_wanted=not failing, units=tuple(Unit(n, "failed") for n in failing))
    boot = Boot(kernel="5.19.0-4", id="b" if failing else "a")
    return FactsRead(facts(activity=waiting, boot=boot))


def test_a_restart_is_asked_for_waited_for_and_verified():
    reads = [FactsRead(facts()), restart_facts(), restart_facts("webd.service")]
    machine = Machine(
        NOTHING,
        ReadFacts=lambda r: reads.pop(0) if len(reads) > 1 else reads[0],
        Ask=lambda r: Answered("restart", "person"),
        Restart=Restarted("b", 40.0),
    )
    outcome = update(machine)
    assert outcome.warnings == ("webd.service fails since the restart",)
    assert outcome.proof is not None
    assert next(r for r in machine.asked if isinstance(r, Restart)).boot_id == "a"


def with_a_guest(**changes):
    """A machine whose updates want a restart, on which a guest is at work."""
    at_work = Activity(restart_wanted=True, guests=(Guest("tide-archive", "libvirt", "running"),))
    waiting = FactsRead(facts(activity=at_work, boot=Boot(kernel="5.19.0-4", id="a")))
    reads = [waiting, waiting, restart_facts("webd.service")]
    return Machine(
        NOTHING,
        ReadFacts=lambda r: reads.pop(0) if len(reads) > 1 else reads[0],
        Restart=Restarted("b", 40.0),
        **{"AwaitAnswer": Awaited("shut off", 1.0), **changes},
    )


MAINTAINED = AroundRestart(maintenance=(Setting(("enter",), ("leave",)),))


def test_guests_and_maintenance_surround_the_restart_of_updates():
    machine = with_a_guest(Ask=lambda r: Answered("restart", "person"))
    outcome = drive(bring_up_to_date(DebCommands(), MAINTAINED), machine)
    assert outcome.state == "done" and outcome.proof is not None
    titles = [r.title for r in machine.asked]
    around = [t for t in titles if "maintenance" in t or "tide-archive" in t or "Restart," in t]
    assert (
        around[0] == "Enter the maintenance state" and around[-1] == "Leave the maintenance state"
    )
    down, up = titles.index("Shut down tide-archive"), titles.index("Start tide-archive")
    restarted = next(n for n, r in enumerate(machine.asked) if isinstance(r, Restart))
    assert down < restarted < up < titles.index("Read the machine again")


def test_a_guest_that_does_not_stop_keeps_the_machine_from_restarting():
    def not_off(request):
        late = isinstance(request, AwaitAnswer) and "is off" in request.title
        return Failed(request.title, "it is still: running") if late else Awaited("running", 1.0)

    machine = with_a_guest(
        AwaitAnswer=not_off,
        Ask=lambda r: Answered("restart" if r.key == "restart" else "stop", "person"),
    )
    outcome = drive(bring_up_to_date(DebCommands(), MAINTAINED), machine)
    assert not [r for r in machine.asked if isinstance(r, Restart)]
    assert any("tide-archive does not shut down" in told for told in outcome.warnings)
    assert [r.title for r in machine.asked][-1] == "Leave the maintenance state"


def test_a_restart_that_is_put_off_is_told():
    reads = [FactsRead(facts()), restart_facts()]
    outcome = update(Machine(NOTHING, ReadFacts=lambda r: reads.pop(0)))
    assert outcome.warnings == ("a restart is pending",)


def test_a_remedy_runs_in_order_and_stops_at_the_first_failure():
    def second_fails(request):
        return Ran(1, "no such package\n", 1, "j") if request.argv[-1] == "b" else None

    machine = Machine(Run=second_fails)
    outcome = drive(apply_remedy("mend", (("x", "a"), ("x", "b"), ("x", "c"))), machine)
    assert machine.ran() == ["a", "b"]
    assert (outcome.state, outcome.at, outcome.why) == ("failed", "x b", "no such package")


GUEST = GuestName("tide-archive", "libvirt")
AROUND = Surroundings((Setting(("enter",), ("leave",)),), (GUEST,))


def inner(outcome: Outcome):
    yield Checkpoint(title="inside", name="ready", leg=0)
    return outcome


@pytest.mark.parametrize("state", ["done", "stopped", "failed"])
def test_what_was_entered_is_left_again_in_every_outcome(state):
    machine = Machine(AwaitAnswer=Awaited("shut off", 1.0))
    outcome = drive(within(AROUND, inner(Outcome(state=state))), machine)
    assert outcome.state == state
    assert [r.argv for r in machine.asked if isinstance(r, Run)] == [
        ("enter",),
        ("virsh", "shutdown", "tide-archive"),
        ("virsh", "start", "tide-archive"),
        ("leave",),
    ]


@pytest.mark.parametrize("choice", ["stop", "switch it off"])
def test_a_guest_that_does_not_shut_down_is_asked_about(choice):
    waits = [Failed("waiting", "still running")]

    def waiting(request):
        return waits.pop() if waits else Awaited("shut off", 1.0)

    machine = Machine(AwaitAnswer=waiting, Ask=lambda r: Answered(choice, "person"))
    outcome = drive(within(AROUND, inner(Outcome(state="done"))), machine)
    crossed = any(isinstance(r, Checkpoint) for r in machine.asked)
    assert crossed is (choice == "switch it off")
    assert outcome.state == ("done" if crossed else "stopped")
    assert ("leave",) in [r.argv for r in machine.asked if isinstance(r, Run)]


def test_what_cannot_be_put_back_is_told():
    machine = Machine(
        AwaitAnswer=Awaited("shut off", 0.1),
        Run=lambda r: Ran(1, "error: no space", 1, "j"),
    )
    warnings = drive_warnings(leave(AROUND), machine)
    assert "tide-archive did not start again: error: no space" in warnings
    assert len(warnings) == 2


def drive_warnings(script, machine) -> tuple[str, ...]:
    def wrapped():
        return Outcome(state="done", warnings=(yield from script))

    return drive(wrapped(), machine).warnings


def test_a_guest_that_somebody_started_meanwhile_is_left_alone():
    def waiting(request):
        return Awaited("running", 0.1) if "running" in request.wanted else Failed("w", "running")

    machine = Machine(AwaitAnswer=waiting)
    assert drive_warnings(leave(AROUND), machine) == ()
    assert not any("start" in r.argv for r in machine.asked if isinstance(r, Run))
    assert any(isinstance(r, AwaitAnswer) for r in machine.asked)


def test_a_guest_whose_state_cannot_be_asked_is_told():
    machine = Machine(AwaitAnswer=lambda r: Failed("waiting", "after 60 s it is still: no daemon"))
    (warning,) = drive_warnings(leave(AROUND), machine)
    assert "tide-archive was not seen at work again" in warning and "no daemon" in warning


def test_packages_cut_off_are_installed_again_during_updates():
    cut = FactsRead(facts(packages=(package("quay-libc", fault="reinstreq"),)))
    failing = [Ran(-1, "", 1, "j", lost=True)]

    def run(request):
        return failing.pop() if request.argv[-1] == "upgrade" and failing else None

    machine = Machine(
        PENDING, NOTHING, Run=run, ReadFacts=lambda r: cut if "cut off" in r.title else None
    )
    assert update(machine).state == "done"
    assert "quay-libc" in machine.ran()

"""The crossing's script, driven by scripted replies: no machine, no file, no process."""

import itertools
from collections.abc import Callable

import msgspec
import pytest

from brave_bridge.core.crossing.cross import cross_route
from brave_bridge.core.crossing.replies import (
    Answered,
    Awaited,
    Begun,
    BootChecked,
    Compared,
    Done,
    DriversAtStart,
    FactsRead,
    Failed,
    FilesListed,
    FilesRead,
    FileText,
    PackagesPlanned,
    Ran,
    Restarted,
    Restored,
    SettingsChecked,
    SettingsForeseen,
    SnapshotsExpired,
    SnapshotTaken,
    Swapped,
)
from brave_bridge.core.crossing.requests import (
    ArchiveSettings,
    Ask,
    AskNewVersions,
    AwaitJobs,
    Begin,
    CheckBoot,
    Checkpoint,
    CheckSettings,
    CloseLeg,
    CompareWithSnapshot,
    ExpireSnapshots,
    GuardServices,
    KeepOpenLeg,
    ListFiles,
    LookIntoInitrd,
    PlanPackages,
    ReadFacts,
    ReadFiles,
    Request,
    Restart,
    RestoreSnapshot,
    Run,
    SwapFiles,
    TakeSnapshot,
    UnguardServices,
    WriteFiles,
    kinds,
    reply_of,
)
from brave_bridge.core.crossing.two_stages import TwoStages
from brave_bridge.core.crossing.ways_back.go_back import GoingBack
from brave_bridge.core.packages.changes import ServiceChange
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.survey.activity import Activity, Unit
from brave_bridge.core.survey.facts import Identity
from brave_bridge.families.deb.commands import DebCommands
from tests.support.facts import NEW_SOURCES, OLD_SOURCES, change, facts, package, plan

INRELEASE = "Origin: Quayside\nSuite: diamond\nCodename: diamond\nVersion: 7\n"
LISTS = "/var/lib/apt/lists/a.example_quayside_dists_diamond_InRelease"
REHEARSAL = (
    "The following packages will be REMOVED:\n   libtls1 (1)\n"
    "The following NEW packages will be installed:\n   libtls3 (2)\n"
    "The following packages will be upgraded:\n   quay-libc (1 => 2)\n   quay-webd (1 => 2)\n"
)


def crossed_facts():
    return facts(
        identity=Identity("quayside", "Quayside 7", "7", "diamond", "amd64"),
        packages=(package("quay-libc", "2.39"), package("quay-webd", "2"), package("libtls3", "2")),
        sources_file=NEW_SOURCES,
        tools={"quay-libc": "2.39"},
    )


class Machine:
    """Answers requests as a healthy machine would, unless told otherwise."""

    def __init__(self) -> None:
        self.asked: list[Request] = []
        self.crossed = False
        self.overrides: list[tuple[Callable[[Request], bool], object]] = []

    def instead(self, matches: Callable[[Request], bool], reply, *, times: int = 99) -> "Machine":
        self.overrides += [(matches, reply)] * times
        return self

    def reply(self, request: Request):
        self.asked.append(request)
        for number, (matches, reply) in enumerate(self.overrides):
            if matches(request):
                del self.overrides[number]
                return reply
        return self._healthy(request)

    def _healthy(self, request: Request):
        match request:
            case ReadFacts():
                return FactsRead(crossed_facts() if self.crossed else facts())
            case CompareWithSnapshot():
                return Compared(0, ())
            case CheckSettings():
                return SettingsChecked({})
            case LookIntoInitrd():
                return DriversAtStart(())
            case AskNewVersions():
                return SettingsForeseen(0)
            case ExpireSnapshots():
                return SnapshotsExpired((), ())
            case CheckBoot():
                return BootChecked("5.19.0-4", "entry", ())
            case TakeSnapshot():
                return SnapshotTaken("s-1", "copy", 10, 100)
            case ReadFiles():
                return FilesRead((FileText(LISTS, INRELEASE),))
            case ListFiles():
                return FilesListed(("/etc/quay-webd/webd.conf.dpkg-dist",))
            case Ask():
                return Answered(request.default, "default")
            case AwaitJobs():
                return Awaited("", 0.0)
            case Begin():
                return Begun("ahead")
            case SwapFiles():
                return Swapped(tuple(swap.present for swap in request.swaps))
            case PlanPackages():
                return PackagesPlanned((plan().packages,))
            case Run():
                rehearsed = deed_of(request) == "rehearsal"
                self.crossed = self.crossed or deed_of(request) == "stage two"
                return Ran(0, REHEARSAL if rehearsed else "", 1.0, "job")
            case _:
                return Done()

    def titles(self, kind: type) -> list[str]:
        return [request.title for request in self.asked if isinstance(request, kind)]

    def written(self) -> list[WriteFiles]:
        return [request for request in self.asked if isinstance(request, WriteFiles)]

    def ran(self) -> list[str]:
        return [deed_of(request) for request in self.asked if isinstance(request, Run)]


def deed_of(run: Run) -> str:
    """Which step of a crossing a command is: its last word where nothing else tells."""
    words = " ".join(run.argv)
    if run.job:
        return "wait"
    for sign, deed in (
        ("--simulate", "rehearsal"),
        ("--download-only", "download"),
        ("stage-one.preferences", "stage one"),
        ("stage-two.preferences", "stage two"),
        ("apt-mark auto", "marks"),
    ):
        if sign in words:
            return deed
    return run.argv[-1]


def is_ahead(request: Request) -> bool:
    """Whether a request only gives something to what is fetched ahead."""
    return isinstance(request, WriteFiles) and "ahead" in request.title


def drive(script, machine: Machine):
    """Run a script; every request and reply survives being written down and read again."""
    try:
        request = next(script)
        while True:
            written = msgspec.json.encode(request)
            kind = type(request)
            assert kinds()[kind.__name__] is kind
            assert msgspec.json.decode(written, type=kind) == request
            reply = machine.reply(request)
            known = msgspec.json.decode(msgspec.json.encode(reply), type=reply_of(kind) | Failed)
            assert known == reply
            request = script.send(reply)
    except StopIteration as end:
        return end.value


def cross(machine: Machine, *plans):
    return drive(cross_route(TwoStages(DebCommands()), plans or (plan(),)), machine)


def runs(deed: str) -> Callable[[Request], bool]:
    return lambda r: isinstance(r, Run) and deed_of(r) == deed


def reads_marks(request: Request) -> bool:
    return isinstance(request, ReadFiles) and request.patterns == (DebCommands.marks,)


def fetches_indices(request: Request) -> bool:
    """Ahead, or in its turn."""
    return runs("wait")(request) or runs("update")(request)


def test_a_crossing_in_order():
    machine = Machine()
    outcome = cross(machine)
    assert outcome.state == "done" and outcome.proof.passed
    assert outcome.ways_back == ("s-1",)
    assert outcome.set_aside == ("/etc/quay-webd/webd.conf.dpkg-dist",)
    rested = [r.name for r in machine.asked if isinstance(r, Checkpoint)]
    assert rested == [*TwoStages.checkpoints, "came up"]
    assert machine.ran() == [
        "wait",
        "rehearsal",
        "download",
        "stage one",
        "stage two",
        "marks",
        "check",
    ]
    kinds = [type(request) for request in machine.asked if not is_ahead(request)]
    assert kinds.index(TakeSnapshot) < kinds.index(WriteFiles) < kinds.index(Run)
    assert UnguardServices in kinds


def test_services_that_are_to_wait_restart_once_when_all_is_done():
    before = facts(
        activity=Activity(
            units=(Unit("quay-webd.service", "active"), Unit("quay-ssh.service", "active"))
        )
    )
    waits = {"quay-webd.service", "not-of-this-leg.service"}
    given = plan(
        services=(ServiceChange("quay-webd.service", "quay-webd"),),
        preferences=Preferences(restart_later=frozenset(waits)),
    )
    machine = Machine().instead(lambda r: isinstance(r, ReadFacts), FactsRead(before), times=1)
    refused = Ran(1, "quay-webd.service: control process exited", 1, "j")
    machine.instead(runs("quay-webd.service"), refused)
    outcome = cross(machine, given)
    (guard,) = (r for r in machine.asked if isinstance(r, GuardServices))
    assert guard.later == ("quay-webd.service",)
    restart = next(r for r in machine.asked if isinstance(r, Run) and "systemctl" in r.argv)
    assert restart.argv == ("systemctl", "restart", "quay-webd.service")
    kinds = [type(request) for request in machine.asked]
    assert machine.asked.index(restart) > kinds.index(UnguardServices)
    assert outcome.state == "done" and "control process exited" in outcome.warnings[0]


def test_the_question_shows_the_diff_and_refusing_changes_nothing():
    machine = Machine().instead(lambda r: isinstance(r, Ask), Answered("undo", "person"))
    outcome = cross(machine)
    asked = next(r for r in machine.asked if isinstance(r, Ask))
    assert "-deb http://a.example/quayside bowline-5.3 main" in asked.detail
    assert "+deb http://a.example/quayside diamond main" in asked.detail
    assert (outcome.state, outcome.at) == ("stopped", "sources")
    assert all(map(is_ahead, machine.written())) and machine.titles(UnguardServices)


REFUSING = Failed("writing /etc/apt/sources.list", "read-only file system")


@pytest.mark.parametrize(
    ("matches", "reply", "at", "why"),
    [
        (lambda r: isinstance(r, ReadFacts), Failed("reading", "corrupt"), "ready", "corrupt"),
        (
            lambda r: isinstance(r, TakeSnapshot),
            Failed("copying", "no space"),
            "way back",
            "no space",
        ),
        (
            lambda r: isinstance(r, WriteFiles) and not is_ahead(r),
            REFUSING,
            "sources",
            "read-only",
        ),
        (fetches_indices, Ran(100, "E: no Release file\n", 1, "j"), "indices", "no Release file"),
        (fetches_indices, Ran(-1, "", 1, "j", lost=True), "indices", "interrupted"),
        (
            lambda r: isinstance(r, ReadFiles),
            FilesRead((FileText(LISTS, INRELEASE.replace("diamond", "carrick")),)),
            "indices",
            "says that it is carrick",
        ),
        (lambda r: isinstance(r, ReadFiles), FilesRead(()), "indices", "no index describes"),
        (lambda r: isinstance(r, PlanPackages), Failed("planning", "odd"), "agreement", "odd"),
        (
            runs("rehearsal"),
            Ran(100, "E: Unable to correct problems\n", 1, "j"),
            "agreement",
            "Unable to correct",
        ),
        (
            runs("download"),
            Ran(100, "E: Write error - write (28: No space left on device)\n", 1, "j"),
            "download",
            "No space left",
        ),
    ],
)
def test_every_stop_before_stage_one_undoes_the_sources(matches, reply, at, why):
    machine = Machine().instead(matches, reply, times=2 if matches is fetches_indices else 1)
    outcome = cross(machine)
    assert (outcome.state, outcome.at) == ("stopped", at)
    assert why in outcome.why and outcome.safe and outcome.next_step
    assert "stage one" not in machine.ran()
    written = [request for request in machine.written() if not is_ahead(request)]
    if written:
        assert written[-1].files[0].text == OLD_SOURCES.text
        assert machine.titles(UnguardServices)


@pytest.mark.parametrize(
    ("changed", "word"),
    [
        ({"packages": (package("a", state="half-configured"),)}, "half installed"),
        ({"identity": Identity("quayside", "", "6", "carrick", "amd64")}, "the plan starts at"),
        ({"sources_file": NEW_SOURCES}, "edited since the plan"),
    ],
)
def test_a_machine_that_is_not_where_the_plan_begins_is_left_alone(changed, word):
    machine = Machine().instead(lambda r: isinstance(r, ReadFacts), FactsRead(facts(**changed)))
    outcome = cross(machine)
    assert (outcome.state, outcome.at) == ("stopped", "ready") and word in outcome.why
    assert {type(request) for request in machine.asked} == {Checkpoint, ReadFacts}


def test_the_commands_name_every_change_and_nothing_else():
    machine = Machine()
    cross(machine)
    argvs = {deed_of(r): r.argv for r in machine.asked if isinstance(r, Run) and not r.job}
    after = {
        deed: argv[argv.index("install") + 1 :] for deed, argv in argvs.items() if "install" in argv
    }
    whole = ("quay-libc=2", "quay-webd=2", "libtls3=2", "libtls1-")
    assert after == {
        "rehearsal": whole,
        "download": whole,
        "stage one": ("quay-webd=2",),
        "stage two": ("quay-libc=2", "libtls3=2", "libtls1-"),
    }
    assert argvs["marks"] == ("apt-mark", "auto", "quay-libc", "libtls3")


def test_what_the_package_manager_marked_itself_is_not_marked_again():
    libc, tls, other = (
        f"Package: {name}\nArchitecture: {architecture}\nAuto-Installed: 1\n"
        for name, architecture in (
            ("quay-libc", "amd64"),
            ("libtls3", "amd64"),
            ("libtls3", "i386"),
        )
    )
    marked = {(libc, tls): [], (libc, other): [("apt-mark", "auto", "libtls3")]}
    for stanzas, ran in marked.items():
        there = FilesRead((FileText(DebCommands.marks, "\n".join(stanzas)),))
        machine = Machine().instead(reads_marks, there)
        assert cross(machine).state == "done"
        assert [r.argv for r in machine.asked if runs("marks")(r)] == ran
    (stage,) = (r for r in machine.asked if runs("stage two")(r))
    assert "APT::Get::Mark-Auto=true" in stage.argv


def test_a_new_package_that_somebody_asked_for_is_not_marked():
    packages = plan().packages
    asked = tuple(msgspec.structs.replace(one, by_hand=True) for one in packages.new)
    changes = msgspec.structs.replace(packages, new=asked)
    machine = Machine().instead(lambda r: isinstance(r, PlanPackages), PackagesPlanned((changes,)))
    assert cross(machine, plan().with_packages(changes)).state == "done"
    (stage,) = (r for r in machine.asked if runs("stage two")(r))
    assert "APT::Get::Mark-Auto=true" not in stage.argv
    assert [r.argv for r in machine.asked if runs("marks")(r)] == [
        ("apt-mark", "auto", "quay-libc")
    ]


def test_a_removal_that_is_not_in_the_plan_stops_it():
    surprise = REHEARSAL.replace("   libtls1 (1)\n", "   libtls1 (1)\n   quay-lamp (1)\n")
    machine = Machine().instead(runs("rehearsal"), Ran(1, surprise, 1, "j"))
    outcome = cross(machine)
    assert (outcome.state, outcome.at) == ("stopped", "agreement")
    assert "quay-lamp goes away; in the plan it is not touched" in outcome.why
    assert "stage one" not in machine.ran()


def is_about_agreement(request: Request) -> bool:
    return isinstance(request, Ask) and request.key == "agreement-0"


@pytest.mark.parametrize("answer", ["go on", "undo"])
def test_a_world_that_has_moved_is_shown_and_asked_about(answer):
    newer = plan(upgraded=(change("quay-libc"), change("quay-webd", new="2.1")))
    machine = Machine().instead(
        lambda r: isinstance(r, PlanPackages), PackagesPlanned((newer.packages,))
    )
    machine.instead(is_about_agreement, Answered(answer, "person"))
    machine.instead(
        runs("rehearsal"), Ran(1, REHEARSAL.replace("webd (1 => 2)", "webd (1 => 2.1)"), 1, "j")
    )
    outcome = cross(machine)
    asked = next(filter(is_about_agreement, machine.asked))
    assert asked.detail == "quay-webd comes to 2.1; in the plan it comes to 2"
    assert outcome.state == ("done" if answer == "go on" else "stopped")
    stage = [r.argv for r in machine.asked if isinstance(r, Run) and deed_of(r) == "stage one"]
    assert [argv[-1] for argv in stage] == (["quay-webd=2.1"] if answer == "go on" else [])


def test_an_interrupted_stage_is_repaired_and_tried_again():
    lost = Ran(-1, "", 1, "j", lost=True)
    machine = Machine().instead(runs("stage one"), lost, times=1)
    assert cross(machine).state == "done"
    ran = machine.ran()
    at = ran.index("stage one")
    assert ran[at : at + 4] == ["stage one", "--pending", "install", "stage one"]


def test_a_package_cut_off_while_it_was_unpacked_is_installed_again():
    cut = facts(packages=(package("quay-libc", state="half-installed", fault="reinstreq"),))
    machine = Machine().instead(runs("stage one"), Ran(-1, "", 1, "j", lost=True), times=1)
    machine.instead(lambda r: "cut off" in r.title and isinstance(r, ReadFacts), FactsRead(cut))
    assert cross(machine).state == "done"
    ran = machine.ran()
    at = ran.index("stage one")
    assert ran[at : at + 7] == [
        "stage one",
        "--pending",
        "install",
        "quay-libc",
        "--pending",
        "install",
        "stage one",
    ]


def test_a_stage_that_fails_twice_names_the_way_back():
    broken = Ran(100, "E: Sub-process /usr/bin/dpkg returned an error code (1)\n", 1, "j")
    machine = Machine().instead(runs("stage one"), broken)
    outcome = cross(machine)
    assert (outcome.state, outcome.at) == ("failed", "stage one")
    assert "error code" in outcome.why
    assert "s-1" in outcome.safe and "return s-1" in outcome.next_step
    assert machine.titles(UnguardServices)


def test_their_version_is_taken_where_it_was_decided():
    machine = Machine()
    decided = plan().with_answer("/etc/quay-webd/webd.conf", "theirs")
    assert cross(machine, decided).state == "done"
    swap = next(r for r in machine.asked if isinstance(r, SwapFiles)).swaps[0]
    assert (swap.newer, swap.saved) == (
        "/etc/quay-webd/webd.conf.dpkg-dist",
        "/etc/quay-webd/webd.conf.dpkg-old",
    )


def test_the_second_leg_starts_only_after_the_first():
    machine = Machine().instead(runs("check"), Ran(100, "E: broken\n", 1, "j"))
    outcome = cross(machine, plan(), plan())
    assert (outcome.state, outcome.legs_done) == ("failed", 0)
    assert len(machine.titles(TakeSnapshot)) == 1


def test_the_diff_names_only_files_that_change():
    assert plan(source_files=(OLD_SOURCES,)).sources.diff == ""


RESTORED = Restored(3, 1, 10, 0.1)


def restores(request: Request) -> bool:
    return isinstance(request, RestoreSnapshot)


def test_a_return_in_order():
    machine = Machine().instead(restores, RESTORED)
    assert drive(GoingBack("s-1", DebCommands().check).carry_out(), machine).state == "done"
    assert machine.ran() == ["check"]


def test_a_return_touches_nothing_while_something_of_before_still_runs():
    machine = Machine().instead(
        lambda r: isinstance(r, AwaitJobs), Failed("waiting", "after 900 s cross-7 still runs")
    )
    outcome = drive(GoingBack("s-1", DebCommands().check).carry_out(), machine)
    assert (outcome.state, outcome.at) == ("failed", "ready") and "cross-7" in outcome.why
    assert not any(isinstance(r, RestoreSnapshot) for r in machine.asked)


def test_a_return_that_needs_a_restart_is_compared_after_it():
    swapped = Restored(3, 0, 0, 0.1, restart_needed=True, aside=("@.before",))
    machine = Machine().instead(restores, swapped)
    machine.instead(lambda r: isinstance(r, Restart), Restarted("another", 30.0))
    outcome = drive(GoingBack("s-1", DebCommands().check).carry_out(), machine)
    assert outcome.state == "done" and "set aside as @.before" in outcome.warnings[0]
    order = [type(r) for r in machine.asked]
    assert order.index(Restart) < order.index(CompareWithSnapshot) < order.index(CheckBoot)


def test_what_a_system_that_runs_writes_meanwhile_is_told_and_no_fault():
    running = Restored(3, 1, 10, 0.1, running_since_ns=5)
    machine = Machine().instead(restores, running)
    machine.instead(
        lambda r: isinstance(r, CompareWithSnapshot) and r.since_ns == 5,
        Compared(0, (), ("/var/log/journal/system.journal",)),
    )
    outcome = drive(GoingBack("s-1", None).carry_out(), machine)
    assert outcome.state == "done"
    assert "restart the machine next" in outcome.warnings[0]
    assert "/var/log/journal/system.journal" in outcome.warnings[1]


def test_what_would_keep_it_from_booting_is_told():
    unbootable = BootChecked("5.19", "", ("its kernel image is not there",))
    machine = Machine().instead(restores, RESTORED)
    machine.instead(lambda r: isinstance(r, CheckBoot), unbootable)
    outcome = drive(GoingBack("s-1", None).carry_out(), machine)
    assert outcome.state == "done" and "kernel image" in outcome.warnings[0]
    assert machine.ran() == []


@pytest.mark.parametrize(
    ("matches", "reply", "at"),
    [
        (lambda r: isinstance(r, RestoreSnapshot), Failed("restoring", "damaged"), "restore"),
        (lambda r: isinstance(r, CompareWithSnapshot), Compared(2, ("/a: missing",)), "comparison"),
    ],
)
def test_a_return_that_fails_can_be_run_again(matches, reply, at):
    machine = Machine().instead(matches, reply, times=1).instead(restores, RESTORED)
    outcome = drive(GoingBack("s-1", DebCommands().check).carry_out(), machine)
    assert (outcome.state, outcome.at) == ("failed", at)
    assert outcome.next_step == "brave-bridge return s-1"


@pytest.mark.parametrize(
    ("reply", "said"),
    [
        (Ran(100, "E: broken\n  packages", 1, "j"), "E: broken packages"),
        (Failed("running apt-get", "it is not installed"), "it is not installed"),
        (Ran(127, "", 1, "j"), "no word"),
    ],
)
def test_all_is_back_also_where_the_package_manager_does_not_run(reply, said):
    machine = Machine().instead(runs("check"), reply).instead(restores, RESTORED)
    outcome = drive(GoingBack("s-1", DebCommands().check).carry_out(), machine)
    assert outcome.state == "done", outcome
    (told,) = [words for words in outcome.warnings if "check did not pass" in words]
    assert said in told and told.startswith("all is back as it was kept")


# A leg that was left open


BROKEN = Ran(100, "dpkg: error processing archive: Operation not permitted\n", 1, "j")
LOST = Ran(-1, "", 1, "j", lost=True)


def kept_leg(machine: Machine):
    """What is kept of the leg under way; None where it was closed."""
    kept = [r for r in machine.asked if isinstance(r, KeepOpenLeg | CloseLeg)]
    return kept[-1].leg if kept and isinstance(kept[-1], KeepOpenLeg) else None


def test_a_leg_is_kept_open_from_before_its_first_change_until_it_is_whole():
    machine = Machine()
    assert cross(machine).state == "done"
    kinds = [type(request) for request in machine.asked if not is_ahead(request)]
    assert kinds.index(KeepOpenLeg) < kinds.index(WriteFiles)
    assert kinds.index(CloseLeg) > max(n for n, kind in enumerate(kinds) if kind is Run)
    assert kept_leg(machine) is None


def test_a_stage_that_fails_leaves_the_leg_open_with_what_was_seen():
    machine = Machine().instead(runs("stage one"), BROKEN)
    outcome = cross(machine)
    assert (outcome.state, outcome.at) == ("failed", "stage one")
    assert "go-on" in outcome.next_step and "return s-1" in outcome.next_step
    leg = kept_leg(machine)
    assert (leg.at, leg.number, leg.way_back) == ("stage one", 0, "s-1")
    assert "not permitted" in leg.why and leg.baseline == facts()


def test_a_leg_is_gone_on_with_from_what_is_there_towards_what_was_agreed():
    machine = Machine().instead(runs("stage two"), BROKEN)
    cross(machine)
    leg = kept_leg(machine)
    mixed = facts(
        packages=(package("quay-libc", "2"), package("quay-webd", "1.18")), sources_file=NEW_SOURCES
    )
    rest = plan(upgraded=(change("quay-webd"),), removed=())
    again = Machine()
    again.instead(lambda r: isinstance(r, ReadFacts) and "how far" in r.title, FactsRead(mixed))
    again.instead(lambda r: isinstance(r, ReadFacts) and "is there" in r.title, FactsRead(mixed))
    again.instead(lambda r: isinstance(r, PlanPackages), PackagesPlanned((rest.packages,)))
    shown = REHEARSAL.replace("   quay-libc (1 => 2)\n", "").replace(
        "The following packages will be REMOVED:\n   libtls1 (1)\n", ""
    )
    again.instead(runs("rehearsal"), Ran(0, shown, 1, "j"))
    outcome = drive(cross_route(TwoStages(DebCommands()), leg.plans, leg), again)
    assert outcome.state == "done" and outcome.ways_back == ("s-1",), outcome
    assert not [r for r in again.asked if isinstance(r, TakeSnapshot | Ask)]
    assert again.ran()[:2] == ["--pending", "install"], "before a retry comes a repair"
    stages = {deed_of(r): r.argv for r in again.asked if isinstance(r, Run)}
    named = [stages[one][stages[one].index("install") + 1 :] for one in ("stage one", "stage two")]
    assert named == [("quay-webd=2",), ("libtls3=2",)]
    assert kept_leg(again) is None and outcome.proof.passed


def test_what_is_left_may_differ_from_what_was_agreed_only_once_it_is_told():
    leg = _open_leg()
    again = Machine()
    moved = plan(upgraded=(change("quay-libc"), change("quay-webd", new="3")))
    again.instead(lambda r: isinstance(r, PlanPackages), PackagesPlanned((moved.packages,)))
    again.instead(lambda r: isinstance(r, Ask), Answered("undo", "person"))
    outcome = drive(cross_route(TwoStages(DebCommands()), leg.plans, leg), again)
    asked = next(r for r in again.asked if isinstance(r, Ask))
    assert "quay-webd comes to 3; in the plan it comes to 2" in asked.detail
    assert (outcome.state, outcome.at) == ("failed", "agreement")
    assert kept_leg(again).at == "agreement"


def _open_leg():
    machine = Machine().instead(runs("stage one"), BROKEN)
    cross(machine)
    return kept_leg(machine)


def test_a_leg_that_goes_on_and_fails_again_stays_open():
    again = Machine().instead(runs("update"), Ran(100, "E: no network\n", 1, "j"))
    leg = _open_leg()
    outcome = drive(cross_route(TwoStages(DebCommands()), leg.plans, leg), again)
    assert (outcome.state, outcome.at) == ("failed", "indices") and "no network" in outcome.why
    assert kept_leg(again).at == "indices"


def test_another_machine_s_leg_is_not_gone_on_with():
    leg, again = _open_leg(), Machine()
    other = facts(identity=Identity("quayside", "", "9", "ebb", "amd64"))
    again.instead(lambda r: isinstance(r, ReadFacts), FactsRead(other))
    outcome = drive(cross_route(TwoStages(DebCommands()), leg.plans, leg), again)
    assert outcome.state == "stopped" and not again.ran()


def test_a_leg_goes_on_where_the_version_is_missing_part_way():
    leg, again = _open_leg(), Machine()
    half = facts(identity=Identity("quayside", "", "", "diamond", "amd64"))
    again.instead(lambda r: isinstance(r, ReadFacts), FactsRead(half), times=1)
    outcome = drive(cross_route(TwoStages(DebCommands()), leg.plans, leg), again)
    assert outcome.state == "done"


@pytest.mark.parametrize("times", [1, 2, 5, 9])
def test_a_stage_that_is_cut_off_is_repaired_and_begun_again(times):
    machine = Machine().instead(runs("stage one"), LOST, times=times)
    outcome = cross(machine)
    assert outcome.state == "done"
    ran = machine.ran()
    assert ran.count("stage one") == times + 1
    tries = [n for n, deed in enumerate(ran) if deed == "stage one"]
    for before, after in itertools.pairwise(tries):
        assert "--pending" in ran[before:after], "before every retry comes a repair"


def test_a_stage_that_is_cut_off_between_two_failures_is_still_tried_twice_only():
    machine = Machine()
    for reply in (BROKEN, LOST, LOST, BROKEN):
        machine.instead(runs("stage one"), reply, times=1)
    outcome = cross(machine)
    assert outcome.state == "failed" and machine.ran().count("stage one") == 4


def test_a_repair_that_is_cut_off_begins_again():
    machine = Machine().instead(runs("stage one"), BROKEN, times=1)
    machine.instead(runs("--pending"), LOST, times=3)
    assert cross(machine).state == "done" and machine.ran().count("--pending") == 4


def test_sources_that_cannot_be_put_back_are_told_and_the_leg_stays_open():
    machine = Machine().instead(runs("download"), BROKEN)
    machine.instead(lambda r: isinstance(r, WriteFiles) and "Put" in r.title, REFUSING)
    outcome = cross(machine)
    assert outcome.state == "failed" and "could not be put back" in outcome.why
    assert "sources are as they were" not in outcome.safe and kept_leg(machine) is not None


def test_an_undo_that_fails_is_told():
    refused = Failed("removing /usr/sbin/policy-rc.d", "read-only file system")
    machine = Machine().instead(lambda r: isinstance(r, UnguardServices), refused)
    assert "start no services" in cross(machine).warnings[0]


def test_a_return_ends_the_leg():
    machine = Machine().instead(lambda r: isinstance(r, RestoreSnapshot), Restored(1, 1, 1, 1.0))
    drive(GoingBack("s-1", DebCommands().check).carry_out(), machine)
    assert any(isinstance(request, CloseLeg) for request in machine.asked)


def test_what_cannot_be_undone_or_noted_reaches_the_person():
    machine = Machine().instead(
        lambda r: isinstance(r, (CloseLeg, UnguardServices)), Failed("writing", "disk full")
    )
    outcome = cross(machine)
    assert outcome.state == "done"
    assert [words.split(":")[0] for words in outcome.warnings] == [
        "package scripts still start no services",
        "the machine still notes that the leg is under way",
    ]


def test_a_reply_of_another_request_is_not_taken():
    script = cross_route(TwoStages(DebCommands()), (plan(),))
    next(script)
    with pytest.raises(TypeError, match="FilesListed is no reply to Checkpoint"):
        script.send(FilesListed(()))


def test_the_settings_are_archived_beside_the_way_back_and_a_failure_of_that_is_told():
    machine = Machine()
    cross(machine)
    kinds = [type(r).__name__ for r in machine.asked]
    assert kinds.index("TakeSnapshot") < kinds.index("ArchiveSettings") < kinds.index("MakeCard")
    (asked,) = [r for r in machine.asked if isinstance(r, ArchiveSettings)]
    assert asked.way_back == "s-1"
    full = Machine().instead(lambda r: isinstance(r, ArchiveSettings), Failed("writing", "full"))
    assert "no archive of the settings: writing: full" in cross(full).warnings

"""What the workspaces show of a machine, from what was read to the rows."""

import os
from datetime import date
from pathlib import Path

import msgspec
import pytest

from brave_bridge.cli.plan_texts import plan_text
from brave_bridge.cli.texts import survey_text
from brave_bridge.core.boot.past_entry import PastSystem
from brave_bridge.core.packages.choices import OBSOLETE, STAYS, Option, PlanChoice
from brave_bridge.core.packages.roles import Roles
from brave_bridge.core.survey.findings import Verdict
from brave_bridge.families.registry import family_named
from brave_bridge.snapshots.returns.set_aside import SetAside
from brave_bridge.workbench.decisions import keep_way
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.members import FleetMember, fleet_members
from brave_bridge.workbench.pages.configs import configs_page
from brave_bridge.workbench.pages.fleet import fleet_page
from brave_bridge.workbench.pages.kernels import kernels_page
from brave_bridge.workbench.pages.logbook import logbook_page
from brave_bridge.workbench.pages.plan import plan_page
from brave_bridge.workbench.pages.proof import proof_page
from brave_bridge.workbench.pages.return_preview import preview_lines
from brave_bridge.workbench.pages.route import route_page
from brave_bridge.workbench.pages.survey import survey_page
from brave_bridge.workbench.pages.ways_back import ways_back_page
from brave_bridge.workbench.papers.folder import papers_folder
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.proofs.newest_proof import proof_now
from brave_bridge.workbench.readiness import Readiness
from brave_bridge.workbench.reading import read_machine
from brave_bridge.workbench.record import KeptPlan
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.targets import Target, open_target, parse_words
from brave_bridge.workbench.ways.ways_back import WaysBack
from tests.support import facts
from tests.support.runs import take_snapshot

TODAY = date(2026, 11, 25)


@pytest.fixture
def read(demo_world, tmp_path, monkeypatch):
    """A function that reads a machine of a copy of the demo fleet as the screen does."""
    import shutil

    shutil.copytree(demo_world, tmp_path / "brave-bridge/demo", symlinks=True)
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    _, members = fleet_members((), demo=True)

    def read(name: str, goal: str = ""):
        return read_machine(next(m for m in members if m.name == name), goal)

    return read


def column(page, number: int) -> list[str]:
    return [row.cells[number] for row in page.rows]


def test_the_fleet_shows_every_machine_and_what_each_wants(read):
    names = (
        "gannet",
        "petrel",
        "skua",
        "puffin",
        "dunlin",
        "avocet",
        "turnstone",
        "fulmar",
        "razorbill",
        "whimbrel",
        "knot",
    )
    page = fleet_page([read(name) for name in names], TODAY)
    assert sorted(column(page, 1)) == sorted(names)
    words = dict(zip(column(page, 1), column(page, -1), strict=True))
    assert words["petrel"].startswith("plan the way to 7 diamond")
    assert words["puffin"].startswith("plan the way to 8.4")
    assert words["turnstone"].startswith("cross it by its own tools")
    assert words["fulmar"].startswith("plan the way to Crew")
    assert words["whimbrel"].startswith("mend what stands in the way: No security chip")
    assert words["avocet"].startswith("bring it up to date: 4 updates")
    assert all(row.why for row in page.rows)


def test_a_way_round_what_should_wait_is_offered_taken_and_planned(read):
    desk = Desk(Target("demo", "petrel"))
    Readiness(desk).write_note(desk.survey("7"), "wait", "The gauge stops")
    offered = {
        row.cells[1]: row
        for row in route_page(read("petrel"), TODAY).rows
        if row.key.startswith("way:")
    }
    assert offered["shortest"].cells[0] == "◉" and "should wait" in offered["shortest"].cells[5]
    safest = offered["safest, long-term"]
    assert (safest.key, safest.action) == ("way:safest:7", "way")
    keep_way(desk.machine, safest=True)
    kept = Plans(desk).make("7")
    assert [plan.leg.end.key for plan in kept.legs] == ["6", "7"]
    record = read("petrel")
    assert [leg.end.key for leg in record.route.legs] == ["6", "7"] and record.plan is not None
    keep_way(desk.machine, safest=False)
    assert read("petrel").plan is None and Plans(desk).kept(desk.facts(), "7") is None


def test_the_route_marks_the_goal_and_says_why_not_straight(read):
    page = route_page(read("petrel", "englefield"), TODAY)
    chosen = next(row for row in page.rows if row.tone == "chosen")
    assert chosen.cells[1].startswith("8 englefield") and chosen.cells[5] == "7 diamond"
    assert page.start == chosen.key
    legs = [row.cells[1] for row in page.rows if row.key.startswith("leg:")]
    assert legs == ["5.3 → 7 diamond", "7 → 8 englefield"]
    refused = next(row for row in page.rows if row.key.startswith("refused:"))
    assert "only by way of 7 diamond" in refused.why[1].text


def test_pages_without_anything_to_show_explain_themselves(read):
    record = msgspec.structs.replace(read("petrel"), ways_back=(), gone=())
    for page in (
        ways_back_page(record),
        proof_page(record),
        logbook_page(record, {}),
        plan_page(record, Roles(())),
    ):
        assert not page.rows and page.empty
    assert ways_back_page(record).about and proof_page(record).about


def test_what_a_return_has_set_aside_is_a_row_of_the_list(read):
    aside = SetAside(
        id="@.before-return-1", mount="/", since="2026-11-20T10:00:00+00:00", in_use=True
    )
    past = PastSystem(
        way_back="20261127-leg-4",
        subvolume="@.as-of-20261127-leg-4",
        name="@",
        release="Tidepool 21.04",
        since="2026-11-27T10:00:00+00:00",
        kernel="5.4.0-1",
        running=True,
    )
    beside = msgspec.structs.replace(past, way_back="20261126-leg-4", running=False)
    two = msgspec.structs.replace(read("petrel"), past_systems=(past, beside))
    rows = {row.key: row for row in ways_back_page(two).rows}
    told = {
        key: " ".join(note.text for note in rows[f"past:{one.way_back}"].why)
        for key, one in (("runs", past), ("beside", beside))
    }
    assert "keep-past" in told["runs"] and "boot-menu 20261126-leg-4" in told["beside"]
    page = ways_back_page(msgspec.structs.replace(read("petrel"), set_aside=(aside,)))
    row = next(row for row in page.rows if row.key == "aside:@.before-return-1")
    assert "/ as it was before the return" in row.cells
    assert "the system runs on it until it restarts" in row.cells


def test_the_demo_has_ways_back_of_every_kind(read):
    page = ways_back_page(read("petrel"))
    marks = [row.cells[0] for row in page.rows]
    assert marks == ["◇", "◇", "▲", "■", "◆", "", "○"]
    newest, _, ending, damaged, pinned, _, gone = page.rows
    # The demo fleet is made once for all tests: midnight may have passed since.
    assert ending.cells[5] in ("ended 2 d ago", "ended 3 d ago")
    assert pinned.cells[5] == "pinned"
    assert "not what was taken" in damaged.cells[4] and not damaged.action
    assert pinned.cells[3] == "Quayside 5.2" and newest.action == "preview"
    assert "more than 3 newer" in gone.cells[4]
    told = " ".join(note.text for note in pinned.why)
    assert "kernel 5.10.0-26" in told and "old tide database" in told and "/ by copy" in told
    ended = next(row for row in ways_back_page(read("fulmar")).rows if row.tone == "caution")
    assert "cannot be moved" in " ".join(note.text for note in ended.why)


def test_survey_kernels_and_configs_name_what_was_read(read):
    record = read("petrel")
    survey = survey_page(record)
    assert any("3 config files" in cell for cell in column(survey, 1)), column(survey, 1)
    links = ["firmware", "boot loader", "entry", "kernel", "root"]
    kernels = kernels_page(record)
    assert [name for name in column(kernels, 1) if " " not in name or name in links] == [
        "kernels",
        "5.19.0-4",
        *links,
    ]
    assert kernels.picture.telling.endswith("→ 5.19.0-4 → LABEL=system")
    assert "/etc/quay-webd/webd.conf" in column(configs_page(record), 1)


def test_a_machine_that_cannot_be_read_says_so(tmp_path):
    (tmp_path / "etc").mkdir()
    member = FleetMember("wreck", "a broken tree", Target("tree", str(tmp_path)))
    record = read_machine(member)
    assert "no system" in record.fault.why and record.next.urgency == 2
    page = fleet_page([record], TODAY)
    assert page.rows[0].cells[2] == "cannot be read"


def test_a_preview_says_what_would_be_lost_and_what_comes_back(stand_in):
    desk = stand_in("petrel")
    ways = WaysBack(desk)
    taken = take_snapshot(desk, "trial")
    assert "Nothing that it covers has changed since." in preview_lines(ways.preview(taken.id))
    desk.machine.files.write("/etc/aaa", b"x")
    desk.machine.files.write("/var/lib/quay-tidebase/levels.db", b"x\x1b[31m")
    shadow = desk.machine.files.read("/etc/shadow", 10_000)
    desk.machine.files.write("/etc/shadow", shadow.replace(b"$w7", b"$w9") + b"night:x:1::::::\n")
    (desk.machine.root / "etc/quay-log/log.conf").unlink()
    preview = ways.preview(taken.id)
    lines = preview_lines(preview)
    text = "\n".join(lines)
    assert "▲ databases: 1 file" in text and "/var/lib/quay-tidebase/levels.db" in text
    assert text.index("databases") < text.index("settings")
    assert preview.accounts.passwords == ("watch",) and preview.accounts.new == ("night",)
    assert "watch: the password of before would hold again" in text
    assert "Comes back:\n   1 path that is gone" in text
    assert "\x1b" not in text


def test_updates_of_what_changed_since_are_offered_before_a_return(stand_in):
    desk = stand_in("avocet", with_ways_back=True)
    ways = WaysBack(desk)
    taken = take_snapshot(desk, "trial")
    assert ways.preview(taken.id).fixes == ()
    pending = desk.facts().updates
    status = desk.machine.files.read("/var/lib/dpkg/status", 1 << 20).decode()
    other = status.replace(f"Version: {pending[0].old}\n", f"Version: {pending[0].old}+lost\n")
    assert other != status
    desk.machine.files.write("/var/lib/dpkg/status", other.encode())
    preview = ways.preview(taken.id)
    assert any(name == pending[0].name for name, *_ in preview.packages)
    assert [update.name for update in preview.fixes] == [pending[0].name]
    assert "Look for a fix first" in "\n".join(preview_lines(preview))


def test_a_damaged_fleet_file_is_one_clear_sentence(tmp_path, monkeypatch):
    from brave_bridge.machines.port import MachineError

    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path))
    (tmp_path / "brave-bridge").mkdir()
    (tmp_path / "brave-bridge/fleet.toml").write_text("[[machine]]\nname = 'heron'\n")
    with pytest.raises(MachineError, match="missing required field `tree`"):
        fleet_members((), demo=False)


def test_whoever_may_not_read_the_records_still_gets_a_survey(stand_in, monkeypatch):
    desk = stand_in("petrel")
    take_snapshot(desk, "trial")
    monkeypatch.setattr(os, "access", lambda path, mode: False)
    finding = next(f for f in desk.survey("7").findings if f.id == "way-back")
    assert finding.verdict is Verdict.NOT_APPLICABLE
    for ask in (
        WaysBack(desk).listed,
        desk.procedures,
        lambda: proof_now(desk),
        lambda: Plans(desk).make("7"),
    ):
        with pytest.raises(Refused, match="permission denied"):
            ask()


def test_a_tree_named_from_one_folder_is_found_from_another(tmp_path, monkeypatch):
    (tmp_path / "heron/etc").mkdir(parents=True)
    (tmp_path / "heron/etc/os-release").write_text("ID=quayside\n")
    monkeypatch.chdir(tmp_path)
    words = Target("tree", "heron").words
    monkeypatch.chdir("/")
    assert open_target(parse_words(list(words))).root == tmp_path / "heron"
    monkeypatch.setenv("HOME", str(tmp_path))
    assert open_target(Target("tree", "~/heron")).root == tmp_path / "heron"


def test_what_does_not_apply_is_one_line_until_it_is_unfolded(read):
    """Also found by a filter while it is folded."""
    record = read("petrel")
    surveyed = record.surveyed
    elsewhere = [f for f in surveyed.findings if f.verdict is Verdict.NOT_APPLICABLE]
    page = survey_page(record)
    behind = [row for row in page.rows if row.folded]
    assert len(behind) == len(elsewhere) > 3
    fold = next(row for row in page.rows if row.action == "fold")
    assert str(len(elsewhere)) in fold.cells[1]
    opened = survey_page(record, frozenset({fold.key}))
    assert not [row for row in opened.rows if row.folded] and len(opened.rows) == len(page.rows)
    lines = list(survey_text(surveyed))
    assert sum(line.startswith("○") for line in lines) == 1
    assert len(list(survey_text(surveyed, everything=True))) > len(lines)


def test_a_plan_on_the_command_line_says_each_thing_once(read):
    desk = Desk(Target("demo", "petrel"))
    kept = Plans(desk).make("7")
    lines = list(plan_text(kept))
    assert len([line for line in lines if "no source has any more" in line]) == 1
    gone = next(n for n, line in enumerate(lines) if "would go away:" in line)
    assert gone < next(n for n, line in enumerate(lines) if "you installed by hand" in line)
    every = "\n".join(plan_text(kept, everything=True))
    plan = kept.legs[0]
    assert all(f"{c.name} {c.old} → {c.new}" in every for c in plan.packages.upgraded)
    assert all(
        c.reason in every
        for c in (*plan.packages.upgraded, *plan.packages.new, *plan.packages.removed)
    )
    assert "more" not in {line.split()[-1] for line in every.splitlines()}


def test_what_can_only_stay_is_not_said_to_be_free_to_go():
    runs = PlanChoice(
        kind=OBSOLETE,
        subject="quay-image-5.19",
        about="",
        answer=STAYS,
        default=STAYS,
        options=(Option(STAYS, "it stays: the kernel that runs now is in it"),),
    )
    kept = KeptPlan("7", "a", "2026-11-25T12:00:00+00:00", (facts.plan(choices=(runs,)),))
    for everything in (False, True):
        text = "\n".join(plan_text(kept, everything=everything))
        assert "the kernel that runs now is in it" in text and "can go with the leg" not in text


def test_a_known_package_manager_under_an_unknown_distribution_mends_by_its_own_commands(tmp_path):
    for path, text in (
        ("etc/os-release", "ID=headland\nVERSION_ID=1\n"),
        ("etc/apt/sources.list", "deb http://a.example/headland cape main\n"),
        ("etc/apt/trusted.gpg.d/headland.asc", "x" * 900),
        (
            "var/lib/dpkg/status",
            "Package: rope\nStatus: install ok half-installed\n"
            "Version: 1\nArchitecture: amd64\nMaintainer: x\nDescription: x\n",
        ),
    ):
        place = tmp_path / path
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text(text)
    desk = Desk(Target("tree", str(tmp_path)))
    surveyed = desk.survey()
    found = {finding.id: finding for finding in surveyed.findings}
    assert surveyed.line is None and surveyed.facts.family == desk.family() == "deb"
    assert found["source-keys"].verdict is Verdict.CLEAR
    assert found["broken-packages"].fix == family_named("deb").manager.finish


def test_a_drawing_of_the_fleet_names_what_it_cannot_show(read, tmp_path, monkeypatch):
    from brave_bridge.workbench.papers import export
    from brave_bridge.workbench.record import MachineRecord

    titles = []
    monkeypatch.setattr(export, "save_support", lambda bars, title, *_: titles.append(title))
    unknown = MachineRecord(name="skerry", about="", words=())
    export.export_fleet("Northlight", [read("petrel"), unknown], tmp_path)
    assert titles == ["Support left: Northlight; release not known: skerry"] * 2


def test_papers_go_to_a_folder_that_nobody_commits(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    folder = papers_folder()
    assert folder == tmp_path / "brave-bridge-papers"
    assert "*" in (folder / ".gitignore").read_text().splitlines()
    assert papers_folder("elsewhere") == Path("elsewhere")

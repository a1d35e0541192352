"""What the Plan workspace is made of, on stand-ins: preferences, policies, previews, exports."""

import json
import shutil

import msgspec
import pytest

from brave_bridge.core.packages.levels import UPGRADED
from brave_bridge.runner.briefs import CrossBrief
from brave_bridge.workbench import reading
from brave_bridge.workbench.decisions import keep_track, toggle_task
from brave_bridge.workbench.kept.policies import toggle_answer, toggle_preference
from brave_bridge.workbench.members import FleetMember
from brave_bridge.workbench.pages.plan import plan_page
from brave_bridge.workbench.pages.route import route_page
from brave_bridge.workbench.papers.plan_document import plan_document
from brave_bridge.workbench.papers.plan_export import export_plan
from brave_bridge.workbench.planning.config_preview import preview_config
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.roles import known_roles
from tests.support.runs import begin, carry_out, outcome_of

WEBD = "/etc/quay-webd/webd.conf"


@pytest.fixture(autouse=True)
def own_state(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))


def names(changes) -> set[str]:
    return {change.name for change in changes}


def test_a_protected_package_stays_and_what_it_costs_is_kept_back_with_reasons(stand_in):
    desk = stand_in("petrel")
    plan = Plans(desk).make("7")
    assert "estuary-agent" in names(plan.legs[0].packages.removed)
    changed = Plans(desk).under(plan, plan.preferences.toggled("protect", "estuary-agent"))
    leg = changed.legs[0]
    assert not leg.packages.removed and "quay-libc" in names(leg.packages.kept_back)
    reason = next(c.reason for c in leg.packages.kept_back if c.name == "quay-libc")
    assert "cannot stand beside libtide1" in reason and changed.hash != plan.hash
    assert Plans(desk).kept(desk.facts(), "7") == changed
    # Planned anew, the preference still holds; taken back, all is as it was.
    assert Plans(desk).make("7").hash == changed.hash
    back = Plans(desk).under(changed, changed.preferences.toggled("protect", "estuary-agent"))
    assert back.hash == plan.hash


def test_an_excluded_package_stays_as_it_is_and_the_crossing_does_exactly_that(stand_in):
    desk = stand_in("petrel")
    plan = Plans(desk).make("7")
    changed = Plans(desk).under(plan, plan.preferences.toggled("exclude", "quay-editor"))
    assert names(changed.legs[0].packages.kept_back) == {"quay-editor"}
    begin(desk, CrossBrief("deb", changed.legs))
    carry_out(desk.machine.root, "petrel", "trial")
    assert outcome_of(desk.machine.root, "petrel", "trial").state == "done"
    after = {p.name: p.version for p in desk.facts().installed}
    planned = {c.name: c.new for c in changed.legs[0].packages.arriving}
    assert after["quay-editor"] == "5.4-2" and planned.items() <= after.items()
    marks = desk.machine.files.read("/var/lib/apt/extended_states", 100_000).decode()
    assert "Package: libtide2\n" in marks and "Package: quay-webd\n" not in marks


def test_another_order_of_preferences_gives_another_plan(stand_in):
    desk = stand_in("petrel")
    plan = Plans(desk).make("7")
    protected = Plans(desk).under(plan, plan.preferences.toggled("protect", "estuary-agent"))
    moved = protected.preferences.moved(UPGRADED, -5)
    again = Plans(desk).under(protected, moved)
    assert again.preferences.order[1] == UPGRADED
    assert len(again.legs[0].packages.kept_back) <= len(protected.legs[0].packages.kept_back)


def test_policies_answer_for_every_machine_but_a_persons_answer_counts_more(stand_in):
    desk = stand_in("petrel")
    assert toggle_answer("demo", WEBD, "theirs") and toggle_preference(
        "demo", "exclude", "quay-editor"
    )
    plan = Plans(desk).make("7")
    (question,) = (q for q in plan.legs[0].configs.questions if q.path == WEBD)
    assert (question.answer, question.by) == ("theirs", "policy")
    assert names(plan.legs[0].packages.kept_back) == {"quay-editor"}
    mine = Plans(desk).answer(plan, WEBD, "mine")
    again = Plans(desk).under(mine, mine.preferences)
    (question,) = (q for q in again.legs[0].configs.questions if q.path == WEBD)
    assert (question.answer, question.by) == ("mine", "person")
    assert not toggle_answer("demo", WEBD, "theirs")


def test_a_config_file_is_shown_in_three_versions(stand_in):
    desk = stand_in("petrel")
    preview = preview_config(desk, Plans(desk).make("7"), WEBD)
    assert "workers 2" in preview.shipped and "workers 8" in preview.mine
    assert "workers auto" in preview.theirs and preview.meet and not preview.why
    assert "+workers 8" in preview.by_you and "+workers auto" in preview.by_them


def test_where_the_old_package_is_gone_yours_is_held_against_the_new_one(stand_in):
    desk = stand_in("petrel")
    plan = Plans(desk).make("7")
    lists = desk.machine.root / "var/lib/apt/lists"
    for path in lists.glob("*_Packages"):
        path.write_text(path.read_text().replace("1.18-6+q3", "1.18-6+q9"))
    preview = preview_config(desk, plan, WEBD)
    assert preview.shipped is None and "no archive has quay-webd 1.18-6+q3" in preview.why[0]
    assert "-workers 8" in preview.by_them and not preview.by_you
    # Nothing that could be read is not the same as nothing that has it.
    shutil.rmtree(lists)
    (why,) = preview_config(desk, plan, WEBD).why
    assert "no list of an archive is kept that could have quay-webd" in why


def test_a_plan_is_exported_in_every_form(stand_in, tmp_path):
    desk = stand_in("petrel")
    plan = Plans(desk).make("8")
    paths = export_plan("petrel", plan, tmp_path)
    text = paths[0].read_text()
    assert plan.hash in text and "libtide1" in text and "### Straight to 8 englefield?" in text
    data = json.loads(paths[1].read_text())
    assert data == json.loads(json.dumps(plan_document("petrel", plan)))
    assert data["hash"] == plan.hash and len(data["legs"]) == 2
    assert all(path.stat().st_size > 1000 for path in paths)
    assert paths[2].read_bytes().startswith(b"%PDF")


def read(desk):
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(reading, "Desk", lambda target: desk)
        return reading.read_machine(FleetMember(desk.machine.name, "", desk.target))


def test_the_straight_way_stands_beside_the_steps(stand_in):
    desk = stand_in("petrel")
    plan = Plans(desk).make("8")
    skipping = plan.legs[1].packages.skipping
    assert skipping is not None and plan.legs[0].packages.skipping is None
    # It goes on both ways: that is no fault of the straight one.
    assert not any("libtide1" in words for words in skipping.unmet)
    assert skipping.sentence.endswith(".")


def test_folded_rows_are_there_for_a_filter_only(stand_in):
    desk = stand_in("petrel")
    record = msgspec.structs.replace(read(desk), plan=Plans(desk).make("7"))
    page = plan_page(record, known_roles())
    folds = {row.key: row.action for row in page.rows if row.key.startswith("fold:")}
    assert folds["fold:0:ordinary"] == folds["fold:0:base"] == "fold"
    hidden = [row for row in page.rows if row.folded and row.key.startswith("package:")]
    opened = plan_page(record, known_roles(), frozenset(folds))
    assert hidden
    shown = {row.key for row in opened.rows if not row.folded}
    assert {row.key for row in hidden} <= shown
    assert "plan " + record.plan.hash[:8] in page.summary
    assert route_page(record, desk.today()).rows


def test_a_world_that_moved_since_the_approval_is_asked_about_and_nothing_done(stand_in):
    """Unattended, the question's default is to undo."""
    desk = stand_in("petrel")
    plan = Plans(desk).make("7")
    before = desk.machine.files.read("/etc/apt/sources.list.d/quayside.sources", 10_000)
    leg = plan.legs[0]
    approved = tuple(c for c in leg.packages.upgraded if c.name != "quay-editor")
    moved = msgspec.structs.replace(leg.packages, upgraded=approved)
    begin(desk, CrossBrief("deb", (leg.with_packages(moved),)))
    carry_out(desk.machine.root, "petrel", "trial")
    outcome = outcome_of(desk.machine.root, "petrel", "trial")
    assert (outcome.state, outcome.at) == ("stopped", "agreement")
    assert "quay-editor comes to 7.2-1; in the plan it is not touched" in outcome.why
    assert desk.machine.files.read("/etc/apt/sources.list.d/quayside.sources", 10_000) == before
    assert desk.facts().identity.version_id == "5.3"


def test_the_track_and_the_tasks_of_a_leg_are_kept_with_the_machine(stand_in):
    desk = stand_in("petrel")
    record = read(desk)
    assert not record.track.long_term_only and "7 diamond" in record.track.other
    keep_track(desk.machine, True)
    toggle_task(desk.machine, "quayside:5.3:7/watch")
    again = read(desk)
    assert again.track.long_term_only and again.goal.key == "7"
    page = route_page(again, desk.today())
    tasks = {row.cells[1]: row.cells[0] for row in page.rows if row.key.startswith("task:")}
    assert tasks["before the leg: Tell the harbour watch that readings will pause"] == "☑"
    assert tasks["before the leg: Save the tide database to another machine"] == "☐"
    assert "long-term releases alone are offered" in page.summary


def test_a_source_tells_who_signed_it(stand_in):
    plan = Plans(stand_in("petrel")).make("7").legs[0]
    own = next(source for source in plan.sources.outcomes if source.outcome == "renamed")
    assert len(own.signers) == 1 and len(own.signers[0]) >= 40


def test_services_of_changing_packages_are_told(stand_in):
    desk = stand_in("petrel")
    plan = Plans(desk).make("7")
    found = {(s.unit, s.package) for s in plan.legs[0].packages.services}
    assert ("quay-webd.service", "quay-webd") in found
    assert ("estuary-agent.service", "estuary-agent") in found
    page = plan_page(msgspec.structs.replace(read(desk), plan=plan), known_roles())
    shown = {row.cells[1]: row.cells[3] for row in page.rows if row.key.startswith("service:")}
    assert shown == {
        "quay-ssh.service": "restarts",
        "quay-webd.service": "restarts",
        "quay-tidebase.service": "restarts",
        "estuary-agent.service": "stops for good",
    }


def test_sources_without_the_main_archive_are_refused(stand_in):
    desk = stand_in("petrel")
    place = "/etc/apt/sources.list.d/quayside.sources"
    text = desk.machine.files.read(place, 10_000)
    desk.machine.files.write(
        place, text.replace(b"Suites: bowline-5.3", b"Suites: bowline-5.3-security")
    )
    with pytest.raises(Refused, match=r"itself, only bowline-5\.3-security"):
        Plans(desk).make("7")


def test_the_systems_own_setting_of_the_track_is_read_shown_and_written(stand_in):
    from brave_bridge.workbench.planning.track import change_track

    desk = stand_in("petrel")
    path = "/etc/quayside/track.conf"
    desk.machine.files.write(path, b"# ours\noffer = every\n")
    found = desk.standings(desk.facts())[0].track()
    assert (found.long_term_only, found.setting) == (False, path)
    change_track(desk, long_term_only=True)
    assert desk.machine.files.read(path, 1000) == b"# ours\noffer = long-term\n"
    assert desk.standings(desk.facts())[0].track().long_term_only
    desk.machine.files.write(path, b"offer = every\n")
    assert not desk.standings(desk.facts())[0].track().long_term_only, "its own setting decides"

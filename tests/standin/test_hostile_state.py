"""A machine's own state as an attacker, an accident or another version left it."""

import json
import os
import pickle
import re
import sqlite3
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

import brave_bridge
from brave_bridge.archives.opening import downloader_of
from brave_bridge.cli.running import run as run_words
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.machines import jobs
from brave_bridge.machines.folder_state import FolderState
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.standin.command import run as run_on_stand_in
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.runner import launch
from brave_bridge.runner.briefs import CrossBrief, SnapshotBrief
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.store.faults import DatabaseError
from brave_bridge.store.logbook import Logbook
from brave_bridge.store.opening import notes_to_write, open_logbook
from brave_bridge.workbench import beginning, decisions, places, run
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.kept import policies
from brave_bridge.workbench.members import FleetMember
from brave_bridge.workbench.pages.crossing import crossing_page
from brave_bridge.workbench.pages.logbook import logbook_page
from brave_bridge.workbench.papers.export import export_logbook
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.reading import read_machine
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.targets import Target
from brave_bridge.workbench.ways.ways_back import WaysBack
from tests.support.runs import begin, carry_out
from tests.support.trees import IS_ROOT, TRIAL

STATE = "var/lib/brave-bridge"


@pytest.fixture(autouse=True)
def own_state(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "person"))


def tree_at(root: Path) -> TreeMachine:
    for folder in ("etc", "var/lib", "usr/lib"):
        (root / folder).mkdir(parents=True, exist_ok=True)
    (root / "etc/os-release").write_text("ID=quayside\nVERSION_ID=6\n")
    return TreeMachine("tree", root)


@pytest.mark.parametrize("link", ["var/lib/brave-bridge", "var/lib", "var"])
@pytest.mark.parametrize("absolute", [True, False])
def test_state_behind_a_link_stays_inside_the_tree(tmp_path, link, absolute):
    outside, root = tmp_path / "outside", tmp_path / "root"
    kept = outside / "snapshots/20260101-000000-1"
    kept.mkdir(parents=True)
    (kept / "making.json").write_text("[]")
    tree_at(root)
    place = root / link
    if place.is_dir():
        subprocess.run(["rm", "-r", place], check=True)
    place.parent.mkdir(parents=True, exist_ok=True)
    os.symlink(outside if absolute else "../" * 9 + str(outside).lstrip("/"), place)
    machine = TreeMachine("tree", root)
    decisions.keep_track(machine, True)
    Snapshots(machine, "1").take("mine", TRIAL)
    assert kept.is_dir() and sorted(p.name for p in outside.iterdir()) == ["snapshots"]
    assert (
        machine.state.folder.is_relative_to(root)
        and (machine.state.folder / "decisions.json").is_file()
    )


@pytest.mark.parametrize("name", ["snapshots", "jobs", "plans", "logbook.sqlite", "decisions.json"])
def test_a_link_in_the_state_is_refused_and_what_it_leads_to_left_alone(tmp_path, name):
    outside, machine = tmp_path / "outside", tree_at(tmp_path / "root")
    outside.mkdir()
    (outside / "kept").write_text("kept")
    machine.state.make()
    os.symlink(outside / "kept" if "." in name else outside, machine.state.folder / name)
    desk = Desk(Target("tree", str(machine.root)), machine)
    for deed in (
        lambda: WaysBack(desk).begin_snapshot("trial"),
        desk.must_read_records,
        desk.logbook,
        lambda: decisions.keep_track(machine, True),
    ):
        with pytest.raises(MachineError, match=f"a link stands in it: {name}"):
            deed()
    assert [p.name for p in outside.iterdir()] == ["kept"]
    assert (outside / "kept").read_text() == "kept"


@pytest.mark.parametrize("folder", ["", "var", "var/lib", STATE])
@pytest.mark.parametrize("fault", ["mode", "owner"])
def test_state_that_somebody_else_can_write_is_not_trusted(tmp_path, folder, fault):
    if not IS_ROOT:
        pytest.skip("only root can give a folder to somebody else")
    machine = tree_at(tmp_path / "root")
    machine.state.make()
    place = machine.root / folder
    if fault == "mode":
        place.chmod(0o777)
    else:
        os.chown(place, 1234, 1234)
    with pytest.raises(MachineError) as told:
        Desk(Target("tree", str(machine.root)), machine).must_read_records()
    assert "others" in told.value.seen or "user 1234" in told.value.seen
    assert told.value.remedy


def test_a_description_cannot_name_what_is_not_its_own(tmp_path):
    machine = tree_at(tmp_path / "root")
    snapshots = Snapshots(machine, "1")
    snapshots.take("photos", TRIAL)
    outside = tmp_path / "srv/photos"
    outside.mkdir(parents=True)
    (outside / "kept").write_text("kept")
    file = snapshots.folder / "photos/description.toml"
    text = file.read_text()
    file.write_text(f'kept_in = "{tmp_path / "srv"}"\n' + text)
    with pytest.raises(MachineError, match="is another"):
        snapshots.delete("photos", "trial")
    assert (outside / "kept").read_text() == "kept"
    file.write_text(re.sub(r"(?m)^engine = .*$", 'engine = "lvm"\nplace = "vg0/root"', text))
    assert "none of its own" in snapshots.listed()[0].fault


class _Trap:
    def __reduce__(self):
        return os.system, ("touch /tmp/brave-bridge-trap",)


def test_nothing_of_ours_reads_pickles():
    for path in Path(brave_bridge.__file__).parent.rglob("*.py"):
        assert not re.search(r"\b(pickle|marshal|shelve|dbos|yaml)\b", path.read_text()), path
    code = "import sys, brave_bridge.workbench.run; print([m for m in sys.modules if m == 'dbos'])"
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert out.stdout.strip() == "[]"


def test_a_crafted_database_runs_nothing(stand_in):
    desk = stand_in("avocet")
    begin(desk, SnapshotBrief("trial"))
    trap = Path("/tmp/brave-bridge-trap")
    with sqlite3.connect(desk.machine.state.folder / "logbook.sqlite") as database:
        database.execute("update procedures set brief = ?", (pickle.dumps(_Trap()),))
    database.close()
    with sqlite3.connect(desk.machine.state.folder / "runner.sqlite") as database:
        database.execute("create table workflow_status (inputs text)")
        database.execute("insert into workflow_status values (?)", (pickle.dumps(_Trap()),))
    database.close()
    assert carry_out(desk.machine.root, "avocet", "trial") != 0
    assert not trap.exists()


# Other versions


def _outcome(desk: Desk, monkeypatch):
    monkeypatch.setattr(run, "Desk", lambda target: desk)
    assert run.main(["--demo", desk.machine.name, "trial"]) == 0
    return desk.logbook().procedure("trial").outcome


def _rewrite(desk: Desk, change: str, *values) -> None:
    with sqlite3.connect(desk.machine.state.folder / "logbook.sqlite") as database:
        database.execute(change, values)
    database.close()


@pytest.mark.parametrize("fault", ["version", "request", "nonsense", "reply", "brief"])
def test_a_procedure_of_another_version_is_not_gone_on_with(stand_in, monkeypatch, fault):
    desk = stand_in("avocet")
    plan = Plans(desk).make("7")
    begin(desk, CrossBrief("deb", plan.legs), "trial")
    carry_out(desk.machine.root, "avocet", "trial", ("after", 6))
    changes = {
        "version": ("update procedures set version = '1'",),
        "request": (
            "update entries set request = ? where seq = 3",
            b'{"type":"ReadFacts","title":"of another version"}',
        ),
        "nonsense": ("update entries set request = ? where seq = 3", b"no request"),
        "reply": ("update entries set reply = ? where seq = 3", b'{"type":"None"}'),
        "brief": ("update procedures set brief = ?", b'{"type":"later"}'),
    }
    _rewrite(desk, *changes[fault])
    outcome = _outcome(desk, monkeypatch)
    assert outcome.state == "stopped" and outcome.why.startswith("begun by another version")
    assert desk.open_procedure() is None


def test_an_older_logbook_gets_the_columns_that_came_since(stand_in):
    desk = stand_in("avocet")
    begin(desk, SnapshotBrief("trial"))
    _rewrite(desk, "alter table procedures drop column version")
    row = open_logbook(desk.machine).procedure("trial")
    assert row.version == "" and row.kind == "snapshot"
    assert carry_out(desk.machine.root, "avocet", "trial") == 0


# Damage


def test_no_control_code_of_a_logbook_reaches_a_terminal(stand_in, monkeypatch, capsys):
    desk = stand_in("avocet")
    begin(desk, SnapshotBrief("trial"))
    carry_out(desk.machine.root, "avocet", "trial")
    codes = "\x1b[2J\x1b]0;x\x07\x9b"
    for column in ("title", "note", "kind", "began"):
        _rewrite(desk, f"update entries set {column} = ? || {column}", codes)
    for column in ("title", "kind", "state", "began"):
        _rewrite(desk, f"update procedures set {column} = {column} || ?", codes)
    monkeypatch.setattr("brave_bridge.cli.application.Desk", lambda target: desk)
    for words in ("logbook", "logbook trial", "survey", "ways-back", "route"):
        run_words(["--demo", "avocet", *words.split()])
        seen = capsys.readouterr()
        assert seen.out and not re.search("[\x00-\x08\x0b-\x1f\x7f-\x9f]", seen.out + seen.err)


NO_RECORD = (b"nonsense", b"[" * 100_000, b"[1]", b'{"later":1}', b"{}")


@pytest.mark.parametrize("content", NO_RECORD, ids=range(5))
def test_what_cannot_be_read_of_a_logbook_is_told_and_the_rest_shown(
    stand_in, monkeypatch, content
):
    desk = stand_in("avocet")
    begin(desk, CrossBrief("deb", Plans(desk).make("7").legs), "trial")
    carry_out(desk.machine.root, "avocet", "trial")
    fields = {"entries": ("request", "reply"), "procedures": ("brief", "outcome")}
    for table, columns in fields.items():
        for column in columns:
            _rewrite(desk, f"update {table} set {column} = ? where {column} is not null", content)
    desk = Desk(desk.target, desk.machine)
    monkeypatch.setattr("brave_bridge.cli.application.Desk", lambda target: desk)
    monkeypatch.setattr("brave_bridge.workbench.reading.Desk", lambda target: desk)
    for words in ("survey", "logbook", "logbook trial", "logbook trial --json", "proof", "tasks"):
        assert run_words(["--demo", "avocet", *words.split()]) in (0, 1, 2, 3), words
    record = read_machine(FleetMember("avocet", "", desk.target))
    entries = tuple(desk.logbook().entries("trial"))
    assert record.fault is None and len(entries) > 20
    shown = logbook_page(record, {"trial": entries}).rows
    assert len(shown) == len(entries) + 1 and all(row.why for row in shown)
    assert crossing_page(record).rows
    (exported,) = export_logbook(desk, desk.machine.root.parent)
    assert all(entry.title in exported.read_text() for entry in entries)


DAMAGED = ["logbook.sqlite", "decisions.json", "plan.json", "snapshots.toml", "proofs.json"]


@pytest.mark.parametrize("name", DAMAGED)
@pytest.mark.parametrize("content", [b"\xff" * 9000, b"{", b"[]", b"[" * 100_000], ids=range(4))
def test_damaged_state_is_told_and_set_aside_and_never_emptied(stand_in, name, content):
    desk = stand_in("avocet")
    decisions.decide(desk.machine, backup_confirmed="2026-11-20")
    if name == "logbook.sqlite":
        begin(desk, SnapshotBrief("trial"))
    (desk.machine.state.folder / name).write_bytes(content)
    surveyed = desk.survey()
    told = [f for f in surveyed.findings if f.id == "damaged-state"]
    assert [f.title for f in told] == [f"{name} could not be read"]
    decisions.decide(desk.machine, backup_confirmed="2026-11-27")
    desk.set_aside_damage()
    desk.logbook()
    if name in ("logbook.sqlite", "decisions.json"):
        aside = next(desk.machine.state.folder.glob(f"{name}.damaged-*"))
        assert aside.read_bytes() == content
        told = [f for f in desk.survey().findings if f.id == "damaged-state"]
        assert ".damaged-" in told[0].title
    else:
        assert (desk.machine.state.folder / name).read_bytes() == content


@pytest.mark.parametrize("content", [b"\xff" * 9000, b"{", b"[]", b"[" * 100_000], ids=range(4))
def test_damaged_settings_of_a_stand_in_are_told_by_whoever_reads_them(stand_in, content, capsys):
    desk = stand_in("petrel")
    (desk.machine.state.folder / "stand-in.json").write_bytes(content)
    with pytest.raises(MachineError, match="it is damaged"), downloader_of(desk.machine):
        pass
    assert run_on_stand_in(desk.machine.root, ["apt-get", "update"]) == 100
    assert "E: reading /var/lib/brave-bridge/stand-in.json" in capsys.readouterr().out


def test_a_logbook_that_is_only_locked_is_never_set_aside(stand_in, monkeypatch):
    desk = stand_in("avocet")
    begin(desk, SnapshotBrief("trial"))

    def locked(logbook):
        raise DatabaseError("logbook", "another program kept it locked for 30 seconds")

    monkeypatch.setattr(Logbook, "must_be_sound", locked)
    assert "locked" in str(desk.damage())
    desk.set_aside_damage()
    assert not list(desk.machine.state.folder.glob("*.damaged-*"))
    assert open_logbook(desk.machine).procedure("trial") is not None


def test_damaged_notes_and_policies_do_not_stop_a_survey(stand_in):
    desk = stand_in("avocet")
    state = places.state_of_fleet("demo")
    folder = state.folder
    folder.mkdir(parents=True, exist_ok=True)
    names = ("field-notes.sqlite", "policies.json", "own-checks.json", "proof-schedule.json")
    for name in names:
        (folder / name).write_bytes(b"\x00damage" * 500)
    titles = {f.title for f in desk.survey().findings if f.id == "damaged-state"}
    assert titles == {f"{name} could not be read" for name in names}
    policies.toggle_answer("demo", "/etc/x", "mine")
    assert policies.read_policies("demo").answers == {"/etc/x": "mine"}
    assert next(folder.glob("policies.json.damaged-*")).read_bytes().startswith(b"\x00damage")
    notes = notes_to_write(state)
    notes.write("leg", "avocet", "caution", "a text")
    notes.close()
    assert next(folder.glob("field-notes.sqlite.damaged-*")).read_bytes().startswith(b"\x00dam")


def test_a_logbook_is_told_in_sentences_and_without_sql(stand_in, capsys, monkeypatch):
    desk = stand_in("avocet")
    begin(desk, SnapshotBrief("trial"))
    _rewrite(desk, "drop table entries")
    _rewrite(desk, "create view entries as select load_extension('x') as seq")
    monkeypatch.setattr("brave_bridge.cli.application.Desk", lambda target: desk)
    run_words(["--demo", "avocet", "logbook"])
    seen = capsys.readouterr()
    assert "SELECT" not in seen.err + seen.out and "sqlalche" not in seen.err + seen.out
    assert "Traceback" not in seen.err


# Several at once


def test_no_decision_of_many_at_once_is_lost(stand_in):
    desk = stand_in("avocet")
    with ThreadPoolExecutor(16) as pool:
        list(pool.map(lambda n: decisions.toggle_task(desk.machine, f"leg/{n}"), range(100)))
        list(pool.map(lambda n: policies.toggle_answer("demo", f"/etc/{n}", "mine"), range(50)))
    assert len(decisions.read_decisions(desk.machine).tasks_done) == 100
    assert len(policies.read_policies("demo").answers) == 50


def test_of_two_that_begin_at_once_one_wins(stand_in, monkeypatch):
    desk = stand_in("avocet")
    desk.logbook().close()
    monkeypatch.setattr(launch, "start_runner", lambda *words: 0)

    def begun(_number: int) -> str:
        own = Desk(desk.target, desk.machine)
        try:
            return beginning.begin(own, "snapshot", "trial", SnapshotBrief("trial"), True)
        except Refused as refusal:
            return f"refused: {refusal.why}"

    with ThreadPoolExecutor(8) as pool:
        found = list(pool.map(begun, range(8)))
    assert len([one for one in found if not one.startswith("refused")]) == 1
    assert len(desk.procedures()) == 1


def test_looking_for_a_runner_never_keeps_one_from_its_lock(tmp_path):
    state = FolderState("tree", tmp_path)
    lock = launch.lock_runner(state)
    assert lock is not None and launch.runner_is_there(state)
    assert launch.lock_runner(state) is None
    lock.close()
    assert not launch.runner_is_there(state)
    code = (
        "import sys; from pathlib import Path; from brave_bridge.runner import launch\n"
        "from brave_bridge.machines.folder_state import FolderState\n"
        "state = FolderState('tree', Path(sys.argv[1]))\n"
        "for _ in range(30000): launch.runner_is_there(state)"
    )
    looker = subprocess.Popen([sys.executable, "-c", code, str(tmp_path)])
    tries = 0
    while looker.poll() is None:
        lock = launch.lock_runner(state)
        assert lock is not None
        lock.close()
        tries += 1
    assert tries > 100


def test_a_refused_plan_leaves_the_standing_one_what_it_was_made_over(own_world):
    desk, world = own_world
    plan = Plans(desk).make("7")
    indices = desk.machine.state.folder / plan.indices.removeprefix(f"/{STATE}/")
    assert any(indices.rglob("suites.json"))
    for release in (world / "archives").rglob("*Release*"):
        release.write_bytes(b"no release file")
    with pytest.raises(Refused):
        Plans(desk).make("7")
    assert any(indices.rglob("suites.json"))
    again = Plans(desk).under(plan, plan.preferences.toggled("protect", "estuary-agent"))
    assert not again.legs[0].packages.removed


def test_answers_and_preferences_given_at_once_are_all_kept(stand_in):
    desk = stand_in("petrel")
    plan = Plans(desk).make("7")
    path = plan.legs[0].configs.questions[0].path
    answered = Plans(desk).answer(plan, path, "theirs")
    # Somebody who still looks at the plan as it was before.
    chosen = Plans(desk).under(plan, plan.preferences.toggled("protect", "estuary-agent"))
    kept = Plans(desk).kept(desk.facts(), "7")
    assert kept == chosen and kept.preferences != Preferences() and answered.hash != plan.hash
    questions = {q.path: q.answer for leg in kept.legs for q in leg.configs.questions}
    assert questions.get(path, "theirs") == "theirs"


# Homes


def test_what_sudo_leaves_in_the_environment_is_not_root_s_own(tmp_path, monkeypatch):
    if not IS_ROOT:
        pytest.skip("only root can be called by sudo")
    home = tmp_path / "home/wren"
    (home / ".local/state").mkdir(parents=True)
    for folder in (home, home / ".local", home / ".local/state"):
        os.chown(folder, 1234, 1234)
    monkeypatch.setenv("HOME", str(home))
    for variable in ("XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(variable, str(home / ".local/state"))
    assert not places.state_folder().is_relative_to(home)
    assert not places.config_folder().path.is_relative_to(home)
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "own"))
    assert places.state_folder() == tmp_path / "own/brave-bridge"


def test_a_job_has_root_s_home_and_no_folders_of_a_person(tmp_path, monkeypatch):
    monkeypatch.setenv("HOME", str(tmp_path / "wren"))
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "wren/.cache"))
    job = Beneath(tmp_path) / "job"
    jobs.launch(job, ["env"], {}, ["env"])
    while jobs.state_of(job).state == "running":
        pass
    output = jobs.output_of(job, 10_000).decode()
    assert "HOME=/root\n" in output and "wren" not in output
    record = json.loads((tmp_path / "job/command.json").read_text())
    assert record["argv"] == ["env"]

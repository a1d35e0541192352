"""The command line on the demo fleet: documented JSON, exit codes, one clear sentence."""

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from tests.support.commands import run_command

PROGRAM = [sys.executable, "-c", "from brave_bridge.cli.entry import main; main()"]


@pytest.fixture(scope="module")
def state_home(demo_world, tmp_path_factory) -> Path:
    home = tmp_path_factory.mktemp("home")
    shutil.copytree(demo_world, home / "brave-bridge/demo", symlinks=True)
    return home


@pytest.fixture
def run(state_home):
    """Run a command line; its exit code, output and error output."""

    def run(*words: str, demo: str = "petrel") -> tuple[int, str, str]:
        target = ["--demo", demo] if demo else []
        homes = {"XDG_STATE_HOME": str(state_home), "HOME": str(state_home)}
        done = run_command([*target, *words], environment={**os.environ, **homes})
        return done.returncode, done.stdout, done.stderr

    return run


def test_the_whole_way_as_json(run):
    def ask(*words, code=0):
        got, out, err = run(*words, "--json")
        assert got == code, err
        document = json.loads(out)
        assert document["schema"] == 1
        return document

    survey = ask("survey")
    assert survey["release"]["codename"] == "bowline" and survey["release"]["version"] == "5.3"
    assert {"id", "verdict", "title", "evidence", "remedy"} <= survey["findings"][0].keys()
    assert survey["counts"]["stop"] == 0 and survey["package_count"] == 23

    route = ask("route", "--to", "englefield")
    assert [(leg["from"], leg["to"]) for leg in route["legs"]] == [("5.3", "7"), ("7", "8")]
    assert "refused" in route and route["refused"][0]["reason"]
    assert [(way["kinds"], way["stops"]) for way in route["ways"]] == [
        (["shortest", "safest"], ["7", "8"]),
        (["long-term"], ["7"]),
    ]
    assert ask("route", "--way", "safest")["way"] == "safest"
    assert ask("route", "--way", "shortest")["way"] == "shortest"
    track = ask("track", "long-term")
    assert (track["track"], track["offered"], track["other"]) == ("long-term", "7", "every")
    assert "every release" in track["other_means"] and ask("track", "every")["track"] == "every"
    assert [source["suites"] for source in ask("sources")["active"]] == [
        ["bowline-5.3"],
        ["bowline-5.3"],
    ]

    plan = ask("plan", "--to", "7", "--theirs", "/etc/quay-ssh/login.conf")
    for name in ("upgraded", "new", "removed", "kept_back"):
        for row in plan[name]:
            assert {"name", "from", "to", "reason"} <= row.keys()
    assert plan["download_bytes"] > 0 and plan["disk_bytes"] > 0
    answers = {q["path"]: q["answer"] for q in plan["legs"][0]["questions"]}
    assert answers["/etc/quay-ssh/login.conf"] == "theirs"

    assert ask("snapshot")["covers"]["entries"] > 100
    crossed = ask("cross", "--to", "7", "--yes")
    assert crossed["state"] == "done" and crossed["outcome"]["proof"]["passed"]
    proof = ask("proof")
    assert proof["passed"] and {"subject", "before", "after"} <= proof["differences"][0].keys()
    (left,) = proof["tasks"]
    assert left == crossed["outcome"]["proof"]["tasks"][0] and "tide database" in left["text"]
    assert not next(t for t in ask("tasks")["tasks"] if t["key"] == left["key"])["is_done"]
    ask("tasks", "--done", left["key"])
    assert ask("proof")["tasks"] == []
    ask("tasks", "--not-done", left["key"])
    assert run("tasks", "--done", "nothing")[0] == 1

    listed = ask("ways-back")
    newest = listed["ways_back"][-1]
    assert newest["leg"] == "5.3 bowline to 7 diamond" and newest["covers"]["parts"]
    # After the proof the rules let go what was past its deadline or old; what is damaged stays.
    assert [w["pinned"] for w in listed["ways_back"]] == [True, False, False, False, False]
    assert [w["whole"] for w in listed["ways_back"]].count(False) == 1
    assert {one["because"] for one in listed["ended"]} >= {"more than 3 newer ones are there"}
    log = ask("logbook")["procedures"]
    stage = next(e for e in log[0]["entries"] if e["title"].startswith("Stage two"))
    assert stage["argv"][0] == "apt-get" and "Setting up" in stage["output"]

    preview = ask("return", newest["id"], "--preview")
    assert preview["changed"] > 0 and preview["bytes_to_copy"] > 0
    assert preview["kernel"]["then"] == "5.19.0-4" and preview["packages"]
    back = ask("return", newest["id"], "--yes")
    assert back["state"] == "done" and ask("survey")["release"]["version"] == "5.3"
    # Nobody has left what a crossing asks for that was returned from.
    assert "the newest crossing" not in {task["leg"] for task in ask("tasks")["tasks"]}
    ahead = next(t["key"] for t in ask("tasks", "--to", "7")["tasks"])
    marked = ask("tasks", "--to", "7", "--done", ahead)["tasks"]
    assert [task["key"] for task in marked if task["is_done"]] == [ahead]
    assert ask("proof")["passed"]


def test_a_person_reads_plain_lines(run):
    code, out, _ = run("survey", demo="avocet")
    assert code == 0 and "▲ 1 package held: quay-guests" in out
    code, out, _ = run("ways-back", demo="turnstone")
    assert "no way back yet" in out
    code, out, _ = run("logbook", demo="avocet")
    assert code == 0 and "empty" in out


def test_what_is_left_to_do_is_told_at_the_end_of_every_leg_too(run):
    code, out, err = run("tasks", demo="turnstone")
    assert code == 0 and "nothing is left to a person" in out, err
    code, _, err = run("tasks", "--to", "99", demo="turnstone")
    assert code == 1 and "99" in err


def test_a_plan_says_why_it_could_not_be_crossed(run):
    code, out, err = run("plan", "--to", "7")
    assert code == 0 and "would be refused" not in out, err
    code, out, _ = run("plan", "--to", "7", demo="avocet")
    assert code == 1
    assert "■ cross would be refused: 4 updates pending" in out
    code, out, _ = run("plan", "--to", "7", "--json", demo="avocet")
    told = json.loads(out)
    assert code == 1 and told["hash"] and told["refused"][0]["rule"] == "pending-updates"


@pytest.mark.parametrize(
    ("words", "demo", "code", "sentence"),
    [
        (("route", "--to", "5.1"), "petrel", 1, "older than"),
        (("route", "--to", "99"), "petrel", 1, "has no release 99"),
        (("plan", "--to", "14"), "skua", 1, "rpm family cannot cross yet"),
        (("return", "nothing"), "dunlin", 1, "finding the way back 'nothing'"),
        (("cross", "--to", "7"), "dunlin", 1, "confirm with --yes"),
        (("plan", "--to", "7", "--theirs", "/etc/none"), "dunlin", 1, "asks nothing about"),
        (("proof",), "avocet", 1, "no crossing is in the logbook"),
        (("go-on",), "avocet", 1, "nothing is under way"),
        (("survey",), "heron", 1, "the fleet has gannet"),
        (("frobnicate",), "petrel", 2, "No such command"),
        (("track", "sideways"), "petrel", 2, "'sideways' is not one of"),
        (("sources", "--take-up", "--yes"), "petrel", 1, "no source waits"),
        (("route", "--sideways"), "petrel", 2, "No such option"),
    ],
)
def test_refusals_and_bad_usage(run, words, demo, code, sentence):
    got, out, err = run(*words, demo=demo)
    assert got == code and sentence in out + err and "Traceback" not in err


def test_an_error_as_json(run):
    code, out, _ = run("route", "--to", "99", "--json")
    document = json.loads(out)
    assert code == 1 and document["kind"] == "error" and "known:" in document["remedy"]


def test_a_first_decision_makes_the_state_folder_for_its_owner_alone(run, tmp_path):
    for name in ("etc", "var/lib/dpkg"):
        (tmp_path / name).mkdir(parents=True)
    (tmp_path / "etc/os-release").write_text('ID=quayside\nVERSION_ID="5.3"\n')
    (tmp_path / "var/lib/dpkg/status").write_text("")
    code, out, err = run("--tree", str(tmp_path), "track", "long-term", demo="")
    assert code == 0 and "offered next: 7 diamond" in out, err
    assert (tmp_path / "var/lib/brave-bridge").stat().st_mode & 0o777 == 0o700


def test_trees_that_are_none(run, tmp_path):
    for folder, sentence in ((tmp_path / "no", "no such folder"), (tmp_path, "it is no system")):
        code, _, err = run("--tree", str(folder), "survey", demo="")
        assert code == 1 and sentence in err and err.count("\n") == 1


def test_what_cannot_be_written_is_told_and_no_success(state_home):
    words = [*PROGRAM, "--demo", "petrel", "survey"]
    with open("/dev/full", "w") as full:
        done = subprocess.run(
            words,
            stdout=full,
            stderr=subprocess.PIPE,
            text=True,
            check=False,
            env={**os.environ, "XDG_STATE_HOME": str(state_home), "HOME": str(state_home)},
        )
    assert done.returncode and "No space left" in done.stderr


def test_nobody_need_listen(state_home):
    program = f'"$0" -c "{PROGRAM[2]}" --demo petrel logbook'
    for closed in (">&-", ">&- 2>&-"):
        done = subprocess.run(
            ["sh", "-c", f"{program} {closed}", sys.executable],
            stderr=subprocess.PIPE,
            text=True,
            check=False,
            env={**os.environ, "XDG_STATE_HOME": str(state_home), "HOME": str(state_home)},
        )
        assert (done.returncode, done.stderr) == (0, "")


def test_version_and_help(run):
    assert run("--version", demo="")[1].startswith("brave-bridge 0.")
    help_text = run("--help", demo="")[1]
    assert "Exit codes: 0 done; 1 refused" in help_text
    for command in ("survey", "route", "plan", "snapshot", "cross", "proof", "ways-back", "return"):
        assert command in help_text


def test_baselines_checks_and_proofs_as_documents(run, tmp_path):
    def ask(*words, demo="gannet", code=0):
        got, out, err = run(*words, "--json", demo=demo)
        assert got == code, (words, out, err)
        return json.loads(out)

    assert ask("update", "--yes")["updates"] == []
    taken = ask("baseline")
    assert {"name", "values", "where", "absent", "unanswered"} == taken["topics"][0].keys()
    again = ask("baseline", "--compare", "--exit-code")
    assert again["baseline"] == taken["name"] and again["passed"] and not again["differences"]
    file = tmp_path / "gannet.json"
    ask("baseline", "--to", str(file))
    other = ask("baseline", "--against", str(file), "--exit-code", demo="dunlin", code=20)
    assert {"topic", "kind", "because", "meaning"} <= other["differences"][0].keys()
    assert ask("baseline", "--against", "nowhere", code=1)["kind"] == "error"
    assert ask("proof", "--due")["due"] == []

    assert ask("check", "--suggest")["suggested"]
    ask("check", "--set", "release file", "--kind", "file", "/etc/os-release")
    ask("check", "--set", "gone", "--kind", "file", "/etc/nowhere", "--on", "gannet")
    assert ask("check", "--set", "x", "--kind", "ftp", "y", code=1)["kind"] == "error"
    answers = ask("check", code=1)["answers"]
    assert answers["release file"] == "tells: there" and answers["gone"].startswith("fails: ")
    assert [one["name"] for one in ask("check", "--forget", "gone")["checks"]] == ["release file"]
    assert ask("check")["answers"] == {"release file": "tells: there"}
    ask("check", "--forget", "release file")

"""A real Debian tree from 11 over 12 to 13 and back: smoothly; killed and stopped on the way."""

import hashlib
import json
import os
import signal
import subprocess
import time
from pathlib import Path

import pytest

from brave_bridge.core.formats.apt_status_db import read_status
from brave_bridge.machines.port import STATE_FOLDER
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.runner import launch
from brave_bridge.workbench.beginning import begin_crossing, go_on
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.targets import Target
from tests.support import lab
from tests.support.commands import run_command
from tests.support.runs import carry_out_on

pytestmark = pytest.mark.xdist_group("real crossing")
NOT_COVERED = (STATE_FOLDER.lstrip("/"), "home")
DECIDED = "/etc/nginx/nginx.conf"
BLOCKED = "usr/sbin/sshd"
PATIENCE_SECONDS = 300


def ask(tree: Path, *words: str, code: int = 0) -> dict:
    """Run a command on the tree; what it says as JSON."""
    done = run_command(["--tree", str(tree), *words, "--json"])
    assert done.returncode == code, done.stdout[-2000:] + done.stderr[-2000:]
    return json.loads(done.stdout)


def desk_of(tree: Path) -> Desk:
    return Desk(Target("tree", str(tree)), TreeMachine(tree.name, tree))


def asked_for(tree: Path) -> set[str]:
    """The packages that apt-mark(8) calls manual: what is installed and not marked as automatic."""
    kept = tree / "var/lib/apt/extended_states"
    marks = kept.read_text() if kept.exists() else ""
    automatic = {
        stanza.partition("Package: ")[2].partition("\n")[0]
        for stanza in marks.split("\n\n")
        if "\nAuto-Installed: 1" in stanza
    }
    packages = read_status((tree / "var/lib/dpkg/status").read_text(), where="status")
    return {p.name for p in packages if p.state == "installed"} - automatic


def end_state(tree: Path) -> dict:
    """What two crossings of the same tree must agree in: packages, marks and config files."""
    packages = read_status((tree / "var/lib/dpkg/status").read_text(), where="status")
    configs = {}
    for path in sorted((tree / "etc").rglob("*")):
        relative = str(path.relative_to(tree))
        # Host keys, the machine's id and caches are made anew by package scripts.
        if path.is_file() and not path.is_symlink() and not relative.startswith(VOLATILE):
            configs[relative] = hashlib.sha256(path.read_bytes()).hexdigest()
    return {
        "packages": {p.name: (p.version, p.want, p.state) for p in packages},
        "configs": configs,
        "asked for": asked_for(tree),
    }


_MAY_BE_ENTERED = {"var/lib", "tmp"}
"""The times of these folders change where the state folder is made and apt verifies."""

VOLATILE = (
    "etc/ssh/ssh_host_",
    "etc/machine-id",
    "etc/ld.so.cache",
    "etc/resolv.conf",
    "etc/passwd-",
    "etc/shadow",
    "etc/group-",
    "etc/gshadow-",
    "etc/mtab",
)


def keep_indices_packed(tree: Path) -> None:
    """As container images do it: what is refreshed from now on is kept packed (apt.conf(5))."""
    (tree / "etc/apt/apt.conf.d/90packed").write_text('Acquire::GzipIndexes "true";\n')


@pytest.fixture(scope="module")
def smooth(bullseye, tmp_path_factory):
    """A tree on a btrfs subvolume, surveyed, planned and taken to 13; the record of it all."""
    with lab.btrfs(tmp_path_factory.mktemp("smooth")) as disk:
        tree = disk / "heron"
        subprocess.run(["btrfs", "-q", "subvolume", "create", tree], check=True)
        lab.copy_tree(bullseye, tree)
        (tree / "home/watch").mkdir()
        keep_indices_packed(tree)
        (tree / "home/watch/tides.csv").write_text("kept\n")
        # First: apt-mark leaves its cache behind.
        record = {"tree": tree, "asked for": asked_for(tree)}
        record["untouched"] = lab.full_manifest(tree, NOT_COVERED)
        record["survey"] = ask(tree, "survey", "--to", "trixie")
        record["route"] = ask(tree, "route", "--to", "13")
        record["plan"] = ask(tree, "plan", "--to", "13", "--theirs", DECIDED)
        record["after plan"] = lab.full_manifest(tree, NOT_COVERED)
        record["crossed"] = ask(tree, "cross", "--to", "13", "--yes")
        record["end"] = end_state(tree)
        newest = max(ask(tree, "ways-back")["ways_back"], key=lambda way: way["created"])
        kept = tree / STATE_FOLDER.lstrip("/") / "snapshots" / newest["id"] / "root/tree"
        record["end of the first leg"] = end_state(kept)
        record["proof"] = ask(tree, "proof")
        record["logbook"] = ask(tree, "logbook", record["crossed"]["id"])
        yield record


def test_the_survey_tells_where_the_tree_stands(smooth):
    survey = smooth["survey"]
    assert (survey["release"]["version"], survey["release"]["codename"]) == ("11", "bullseye")
    verdicts = {f["id"]: f["verdict"] for f in survey["findings"]}
    assert verdicts["support-window"] == "caution" and "stop" not in verdicts.values()
    changed = next(f for f in survey["findings"] if f["id"] == "changed-configs")
    for path in ("/etc/nginx/nginx.conf", "/etc/logrotate.conf", "/etc/ssh/sshd_config"):
        assert path in json.dumps(changed)


def test_the_route_takes_two_legs_and_refuses_the_jump(smooth):
    route = smooth["route"]
    legs = [(leg["from"], leg["to"]) for leg in route["legs"]]
    assert legs == [("bullseye", "bookworm"), ("bookworm", "trixie")]
    assert "never over one" in route["refused"][0]["reason"]


def test_planning_reads_signed_indices_and_touches_nothing(smooth):
    changed = lab.differences(smooth["untouched"], smooth["after plan"])
    assert {line.partition(":")[0] for line in changed} <= _MAY_BE_ENTERED
    plan = smooth["plan"]
    assert {"apt", "openssh-server", "libc6"} <= {row["name"] for row in plan["upgraded"]}
    assert plan["new"] and plan["download_bytes"] > 20_000_000 and plan["disk_bytes"]
    assert all(
        row["reason"] for kind in ("upgraded", "new", "removed", "kept_back") for row in plan[kind]
    )


def test_both_legs_end_on_13_as_planned(smooth):
    tree = smooth["tree"]
    assert smooth["crossed"]["state"] == "done"
    # The versions of both legs could be asked whether they accept the settings.
    assert not [words for words in smooth["crossed"]["outcome"]["warnings"] if "known" in words]
    rows = [e for p in smooth["logbook"]["procedures"] for e in p["entries"]]
    asked = [row["note"] for row in rows if row["request"] == "AskNewVersions"]
    assert len(asked) == 2 and all("4 programs asked" in note for note in asked), asked
    assert "VERSION_CODENAME=trixie" in (tree / "etc/os-release").read_text()
    assert smooth["proof"]["passed"] is True
    packages = smooth["end"]["packages"]
    assert all(state in ("installed", "config-files") for _, _, state in packages.values())
    for row in smooth["plan"]["legs"][-1]["upgraded"]:
        assert packages[row["name"].partition(":")[0]][0] == row["to"], row
    assert "rotate 12" in (tree / "etc/logrotate.conf").read_text()
    assert "MaxAuthTries 3" in (tree / "etc/ssh/sshd_config").read_text()
    assert "worker_connections 768" in (tree / DECIDED.lstrip("/")).read_text()
    mine = (tree / (DECIDED + ".dpkg-old").lstrip("/")).read_text()
    assert "worker_connections 2048" in mine
    sources = (tree / "etc/apt/sources.list").read_text()
    assert "trixie main" in sources and "# deb-src" in sources and "bullseye main" in sources
    assert "trixie-security" in (tree / "etc/apt/sources.list.d/security.sources").read_text()
    assert not (tree / "usr/sbin/policy-rc.d").exists()
    code, output = lab.in_tree(tree, "apt-get", "check")
    assert code == 0, output
    kept = {path.suffix for path in (tree / "var/lib/apt/lists").glob("*_Packages*")}
    assert kept and "" not in kept, "apt keeps them packed, and the plan was made from those"
    runs = [e for p in smooth["logbook"]["procedures"] for e in p["entries"] if "argv" in e]
    assert len(runs) >= 8 and all(e["began"] and e["ended"] for e in runs)


def test_the_package_manager_still_knows_who_asked_for_what(smooth):
    after = smooth["end"]["asked for"]
    gone = smooth["asked for"] - {name for name, *_ in _present(smooth)}
    assert smooth["asked for"] - gone == after and len(after) > 20
    titles = [e["title"] for p in smooth["logbook"]["procedures"] for e in p["entries"]]
    assert sum("read who asked for what" in title for title in titles) >= 2
    assert not [title for title in titles if "mark as automatic" in title], "apt did so itself"


def _present(record: dict) -> list[tuple[str, str]]:
    packages = record["end"]["packages"]
    return [
        (name, version) for name, (version, _, state) in packages.items() if state == "installed"
    ]


@pytest.fixture(scope="module")
def killed(bullseye, tmp_path_factory):
    """The same tree on ext4, taken to 12: killed three times, then stopped by a file of its own."""
    with lab.disk(tmp_path_factory.mktemp("killed"), "ext4", "5G") as disk:
        tree = disk / "heron"
        lab.copy_tree(bullseye, tree)
        (tree / "home/watch").mkdir()
        keep_indices_packed(tree)
        ask(tree, "plan", "--to", "12", "--theirs", DECIDED)
        record = {"tree": tree, "before": lab.full_manifest(tree, NOT_COVERED)}
        desk = desk_of(tree)
        kept = Plans(desk).kept(desk.survey().facts, "12")
        identifier = begin_crossing(desk, kept, unattended=True)
        kill_runner_at(desk, identifier, "Take a snapshot", power_cut_of="Begin: Fetch")
        go_on(desk, unattended=True)
        kill_runner_at(desk, identifier, "Stage one", power_cut_of="Stage one", percent=20)
        desk.logbook().close()
        status = carry_out_on(lambda: desk_of(tree), identifier, _between_the_stages)
        assert os.WIFSIGNALED(status), status
        subprocess.run(["chattr", "+i", tree / BLOCKED], check=True)
        try:
            record["stopped"] = stopped_leg(tree)
        finally:
            subprocess.run(["chattr", "-i", tree / BLOCKED], check=True)
        record["titles"] = [entry.title for entry in desk_of(tree).logbook().entries(identifier)]
        # Found, and gone on with, also where the logbook is lost.
        (desk_of(tree).machine.state.folder / "logbook.sqlite").unlink()
        record["crossed"] = ask(tree, "go-on", "--yes")
        record["proof"] = ask(tree, "proof")
        yield record


def stopped_leg(tree: Path) -> dict:
    """A leg that fails in the middle: what is told of it, and what is refused meanwhile."""
    return {
        "failed": ask(tree, "go-on", "--yes", code=3),
        "survey": ask(tree, "survey"),
        "refused": [
            ask(tree, *words, code=1)["why"]
            for words in (("plan", "--to", "13"), ("cross", "--to", "12", "--yes"))
        ],
        "proof": ask(tree, "proof", code=1),
        "failed again": ask(tree, "go-on", "--yes", code=3),
    }


def _between_the_stages(moment: str, seq: int, logbook) -> bool:
    newest = logbook.entries(logbook.procedures()[0].id)[-1]
    return moment == "after" and newest.title == "Checkpoint: stage one"


def kill_runner_at(
    desk: Desk, identifier: str, title: str, *, power_cut_of: str, percent: float = -1
) -> None:
    """SIGKILL the runner while the request of that title is under way, more than ``percent``.

    The package manager dies too that the request with ``power_cut_of`` in its title started.
    """
    deadline = time.monotonic() + PATIENCE_SECONDS
    while time.monotonic() < deadline:
        entries = desk.logbook().entries(identifier)
        if entries and entries[-1].title.startswith(title) and entries[-1].percent > percent:
            break
        time.sleep(0.02)
    else:
        raise AssertionError(f"{title} was never under way")
    started = next(e for e in reversed(entries) if e.title.startswith(power_cut_of))
    job = desk.machine.state.folder / "jobs" / f"{identifier}-{started.seq}"
    assert not (job / "code").exists()
    os.kill(runner_of(identifier), signal.SIGKILL)
    os.killpg(int((job / "pid").read_text()), signal.SIGKILL)
    while launch.runner_is_there(desk.machine.state):
        time.sleep(0.02)


def runner_of(identifier: str) -> int:
    """The process id of a procedure's runner."""
    for folder in Path("/proc").iterdir():
        if folder.name.isdigit():
            try:
                words = (folder / "cmdline").read_bytes().split(b"\0")
            except OSError:
                continue
            if b"brave_bridge.workbench.run" in words and identifier.encode() in words:
                return int(folder.name)
    raise AssertionError(f"no runner of {identifier}")


def test_a_file_that_cannot_be_replaced_stops_a_leg(killed):
    stopped = killed["stopped"]
    assert stopped["failed"]["state"] == "failed"
    assert "Operation not permitted" in str(stopped["failed"])
    told = next(f for f in stopped["survey"]["findings"] if f["id"] == "open-leg")
    assert told["verdict"] == "stop" and "is not whole" in told["title"]
    assert all("is not whole" in why for why in stopped["refused"])
    stayed = [d for d in stopped["proof"]["differences"] if "was planned" in d["meaning"]]
    assert len(stayed) > 5 and not stopped["proof"]["passed"], "what stayed at the old release"
    assert stopped["failed again"]["state"] == "failed", "the cause stands"


def test_killed_in_snapshot_in_stage_one_and_between_the_stages_it_ends_the_same(smooth, killed):
    tree, crossed = killed["tree"], killed["crossed"]
    assert crossed["state"] == "done" and crossed["outcome"]["proof"]["passed"]
    assert killed["proof"]["passed"]
    assert not (tree / "var/cache/brave-bridge").exists()
    again = killed["titles"].index("Stage one, once more")
    before = killed["titles"][:again]
    assert "Finish what was half configured" in before, "before a retry comes a repair"
    packages = read_status((tree / "var/lib/dpkg/status").read_text(), where="status")
    old = {p.name for p in packages if "deb11" in p.version and p.is_present}
    assert old <= set(crossed["outcome"]["obsolete"])
    assert end_state(tree) == smooth["end of the first leg"]


@pytest.mark.parametrize("which", ["smooth", "killed"])
def test_the_return_gives_back_the_tree_of_11(which, request):
    if which == "smooth":
        record = request.getfixturevalue("smooth")
        tree, before = record["tree"], record["after plan"]
    else:
        record = request.getfixturevalue("killed")
        tree, before = record["tree"], record["before"]
    ways = ask(tree, "ways-back")["ways_back"]
    made = [way["engine"] for way in ways]
    assert made == (["btrfs", "btrfs"] if which == "smooth" else ["copy"])
    oldest = min(ways, key=lambda way: way["created"])
    assert oldest["leg"] == "11 bullseye to 12 bookworm", oldest
    assert ask(tree, "return", oldest["id"], "--yes")["state"] == "done"
    after = lab.full_manifest(tree, NOT_COVERED)
    found = lab.differences(before, after)
    # Fetched packages can be fetched again: they are left out, and the folder stays as it is.
    # What was fetched ahead stood in a folder of its own: that of all caches was entered.
    entered = ("var/cache/apt/archives", "var/cache: ")
    assert [line for line in found if not line.startswith(entered)] == []
    assert not (tree / "var/cache/brave-bridge").exists()
    assert ask(tree, "survey")["release"]["codename"] == "bullseye"
    assert ask(tree, "proof")["passed"] is True
    code, output = lab.in_tree(tree, "apt-get", "check")
    assert code == 0, output
    assert (tree / "home/watch").is_dir()

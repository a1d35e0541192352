"""Starting a runner: on a system with systemd as a service of its own."""

import os

import pytest

from brave_bridge.runner import launch
from brave_bridge.runner.briefs import SnapshotBrief
from brave_bridge.runner.own_runtime import RuntimeFault
from brave_bridge.workbench.refusal import Refused


def test_where_systemd_runs_the_runner_is_no_part_of_a_session(tmp_path, monkeypatch):
    if os.geteuid() != 0:
        monkeypatch.setattr(os, "geteuid", lambda: 0)
    for name, script in (("systemd-run", "exit 0"), ("systemd-inhibit", "exit 0")):
        (tmp_path / name).write_text(f"#!/bin/sh\n{script}\n")
        (tmp_path / name).chmod(0o755)
    monkeypatch.setenv("PATH", f"{tmp_path}:{os.environ['PATH']}")
    monkeypatch.setattr(launch, "_SYSTEMD", tmp_path)
    argv = launch.detached(["python", "-m", "x", "trial"], "trial", tmp_path)
    assert argv[0] == "systemd-run" and "--unit=brave-bridge-trial" in argv
    assert "--property=KillMode=process" in argv, "what a stage started is not ended with it"
    inner = argv[argv.index("--") + 1 :]
    assert inner[0] == "systemd-inhibit" and "--mode=block" in inner
    assert any(word.startswith("--what=shutdown:sleep") for word in inner)
    assert inner[-4:] == ["python", "-m", "x", "trial"]


def test_where_nobody_holds_off_a_shutdown_the_runner_starts_all_the_same(tmp_path, monkeypatch):
    monkeypatch.setattr(os, "geteuid", lambda: 0)
    for name, code in (("systemd-run", 0), ("systemd-inhibit", 1)):
        (tmp_path / name).write_text(f"#!/bin/sh\nexit {code}\n")
        (tmp_path / name).chmod(0o755)
    monkeypatch.setenv("PATH", f"{tmp_path}:{os.environ['PATH']}")
    monkeypatch.setattr(launch, "_SYSTEMD", tmp_path)
    argv = launch.detached(["python", "trial"], "trial", tmp_path)
    assert argv[argv.index("--") + 1 :] == ["python", "trial"]
    monkeypatch.setattr(launch, "_SYSTEMD", tmp_path / "none")
    assert launch.detached(["python", "trial"], "trial", tmp_path) == ["python", "trial"]


def on_the_machine_itself(stand_in, monkeypatch, fault: str = ""):
    """A desk as for the machine that we run on; what runners were started, and on what."""
    started: list[tuple[str, object]] = []

    def made(folder, *_):
        if fault:
            raise RuntimeFault(fault)
        return folder

    desk = stand_in("petrel")
    monkeypatch.setattr(desk.machine, "kind", "running")
    for name, stand_in_for in (
        ("own_runtime", lambda: None), ("make_runtime", made), ("load_all", lambda: None),
        ("keep_starting", lambda runtime: []), ("must_be_trusted", lambda machine: None),
    ):  # fmt: skip
        monkeypatch.setattr(f"brave_bridge.workbench.desk.{name}", stand_in_for)
    monkeypatch.setattr("brave_bridge.snapshots.catalogue.must_be_trusted", lambda machine: None)
    monkeypatch.setattr(
        launch, "start_runner",
        lambda words, name, state, runtime=None: started.append((name, runtime)),
    )  # fmt: skip
    return desk, started


@pytest.mark.parametrize("kind", ["crossing", "return"])
def test_what_replaces_the_interpreter_runs_on_a_runtime_also_when_it_is_gone_on_with(
    stand_in, monkeypatch, kind
):
    desk, started = on_the_machine_itself(stand_in, monkeypatch)
    identifier = desk.begin(kind, "trial", SnapshotBrief("trial"), True)
    assert desk.go_on() == identifier
    assert started == [(identifier, desk.machine.state / "runtime")] * 2


def test_a_return_is_let_through_where_no_runtime_can_be_made(stand_in, monkeypatch):
    desk, started = on_the_machine_itself(stand_in, monkeypatch, "5 bytes are missing")
    with pytest.raises(Refused, match="5 bytes are missing"):
        desk.begin("crossing", "trial", SnapshotBrief("trial"), True)
    assert not desk.procedures()
    identifier = desk.begin("return", "trial", SnapshotBrief("trial"), True)
    assert started == [(identifier, None)]

"""Starting a runner: on a system with systemd as a service of its own."""

import os
import time

import pytest

from brave_bridge.machines.folder_state import FolderState
from brave_bridge.runner import launch
from brave_bridge.runner.briefs import SnapshotBrief
from brave_bridge.runner.own_runtime import KEPT_RUNTIME, RuntimeFault
from brave_bridge.workbench.beginning import begin, go_on
from brave_bridge.workbench.refusal import Refused


@pytest.fixture
def pretended(tmp_path, monkeypatch):
    """systemd as far as starting goes: what its tools are asked is written down."""

    def pretend(**codes: int) -> None:
        code, asked = codes.get("systemd_run", 0), tmp_path / "systemd-run.asked"
        words = f'#!/bin/sh\nprintf "%s\\n" "$@" > {asked}\nexit {code}\n'
        (tmp_path / "systemd-run").write_text(words)
        (tmp_path / "systemd-run").chmod(0o755)

    monkeypatch.setattr(os, "geteuid", lambda: 0)
    monkeypatch.setenv("PATH", f"{tmp_path}:{os.environ['PATH']}")
    monkeypatch.setattr(launch, "_SYSTEMD", tmp_path)
    monkeypatch.setattr(launch, "python_argv", lambda runtime: [str(tmp_path / "python")])
    (tmp_path / "python").write_text(f"#!/bin/sh\necho $@ > {tmp_path}/started\n")
    (tmp_path / "python").chmod(0o755)
    return pretend


def started(folder) -> str:
    """What was started without systemd; waits for it a little."""
    for _ in range(50):
        if (folder / "started").exists() and (folder / "started").read_text():
            return (folder / "started").read_text()
        time.sleep(0.1)
    return ""


def test_where_systemd_runs_the_runner_is_no_part_of_a_session(tmp_path, pretended):
    pretended()
    launch.start_runner((), "trial", FolderState("this", tmp_path))
    argv = (tmp_path / "systemd-run.asked").read_text().splitlines()
    assert "--unit=brave-bridge-trial" in argv and "--property=Type=exec" in argv
    assert "--property=KillMode=process" in argv, "what a stage started is not ended with it"
    inner = argv[argv.index("--") + 1 :]
    assert inner[-3:] == ["-m", "brave_bridge.workbench.run", "trial"]
    assert not (tmp_path / "started").exists()


def test_where_systemd_can_start_nothing_the_runner_starts_without(tmp_path, pretended):
    """After a return its files are of another release than itself."""
    pretended(systemd_run=1)
    launch.start_runner((), "trial", FolderState("this", tmp_path))
    assert started(tmp_path) == "-m brave_bridge.workbench.run trial\n"


def test_without_systemd_the_runner_starts_alone(tmp_path, pretended, monkeypatch):
    pretended()
    monkeypatch.setattr(launch, "_SYSTEMD", tmp_path / "none")
    launch.start_runner((), "trial", FolderState("this", tmp_path))
    assert started(tmp_path) and not (tmp_path / "systemd-run.asked").exists()


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
        ("own_runtime", lambda: None),
        ("make_runtime", made),
        ("load_all", lambda: None),
        ("keep_starting", lambda runtime: []),
    ):
        monkeypatch.setattr(f"brave_bridge.workbench.beginning.{name}", stand_in_for)
    monkeypatch.setattr(
        launch,
        "start_runner",
        lambda words, name, state, runtime=None, ready=None: started.append((name, runtime)),
    )
    return desk, started


@pytest.mark.parametrize("kind", ["crossing", "return"])
def test_what_replaces_the_interpreter_runs_on_a_runtime_also_when_it_is_gone_on_with(
    stand_in, monkeypatch, kind
):
    desk, started = on_the_machine_itself(stand_in, monkeypatch)
    identifier = begin(desk, kind, "trial", SnapshotBrief("trial"), True)
    assert go_on(desk) == identifier
    assert started == [(identifier, KEPT_RUNTIME)] * 2


def test_a_return_is_let_through_where_no_runtime_can_be_made(stand_in, monkeypatch):
    desk, started = on_the_machine_itself(stand_in, monkeypatch, "5 bytes are missing")
    with pytest.raises(Refused, match="5 bytes are missing"):
        begin(desk, "crossing", "trial", SnapshotBrief("trial"), True)
    assert not desk.procedures()
    identifier = begin(desk, "return", "trial", SnapshotBrief("trial"), True)
    assert started == [(identifier, None)]

"""Starting a runner: on a system with systemd as a service of its own."""

import os

from brave_bridge.runner import launch


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

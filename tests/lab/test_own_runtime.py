"""A runtime of our own on real trees: nothing of the system is needed, not even its C library."""

import json
import os
import subprocess

import pytest

from brave_bridge.machines.runtime import MARK, python_argv
from brave_bridge.runner import own_runtime, starter
from brave_bridge.runner.own_runtime import RuntimeFault, make_runtime, prove
from tests.support import lab


def test_it_starts_on_a_release_whose_python_is_too_old(runtime, bullseye, tmp_path):
    with lab.overlay(bullseye, tmp_path) as tree:
        subprocess.run(["cp", "-a", runtime, tree / "opt/bridge"], check=True)
        as_copied = sorted((tree / "opt/bridge").rglob("*"))
        # Not even an interpreter of its own: as on a system that never had one.
        for python in tree.glob("usr/bin/python3*"):
            python.unlink()
        code, output = lab.in_tree(tree, "/opt/bridge/brave-bridge", "survey", "--json")
        assert code == 0, output
        survey = json.loads(output[output.index("{") :])
        assert survey["release"]["codename"] == "bullseye"
        assert sorted((tree / "opt/bridge").rglob("*")) == as_copied, "it writes nothing there"


def test_it_starts_where_the_root_can_only_be_read(runtime, bullseye, tmp_path):
    with lab.overlay(bullseye, tmp_path) as tree:
        subprocess.run(["cp", "-a", runtime, tree / "opt/bridge"], check=True)
        script = (
            'mount --bind "$0" "$0" && mount -o remount,ro,bind "$0" && mount -t proc p "$0/proc"'
            ' && exec chroot "$0" /opt/bridge/brave-bridge survey'
        )
        done = subprocess.run(
            ["unshare", "--mount", "--pid", "--fork", "sh", "-c", script, tree],
            capture_output=True,
            text=True,
            check=False,
        )
        assert done.returncode == 0 and "bullseye" in done.stdout, done.stderr


def test_nothing_in_it_needs_more_than_a_usb_stick_has(runtime, bullseye, tmp_path):
    """vfat has no links and no modes, and does not tell capitals apart (mount(8), vfat)."""
    paths = [path.relative_to(runtime) for path in runtime.rglob("*")]
    assert not [path for path in paths if (runtime / path).is_symlink()]
    assert len({str(path).lower() for path in paths}) == len(paths)
    assert not [path for path in paths if set('\\:*?"<>|') & set(str(path))]
    stick = tmp_path / "stick/bridge"
    stick.parent.mkdir()
    subprocess.run(["cp", "-r", "--no-preserve=all", runtime, stick], check=True)
    subprocess.run(["chmod", "-R", "0755", stick], check=True)
    done = subprocess.run(
        [stick / "brave-bridge", "--tree", bullseye, "survey"],
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0 and "bullseye" in done.stdout, done.stderr


def test_one_that_does_not_start_never_stands_in_its_place(tmp_path, monkeypatch):
    monkeypatch.setattr(own_runtime, "_PROOF", "raise SystemExit('the gauge is stuck')")
    with pytest.raises(RuntimeFault, match="the gauge is stuck"):
        make_runtime(tmp_path / "runtime")
    assert list(tmp_path.iterdir()) == []


def test_one_that_uses_the_system_s_libraries_is_told(runtime, tmp_path):
    copy = tmp_path / "runtime"
    subprocess.run(["cp", "-al", runtime, copy], check=True)
    (copy / "lib/libz.so.1").unlink()
    with pytest.raises(RuntimeFault, match=r"it uses what is not its own: .*libz|does not start"):
        prove(copy)


def test_it_is_made_once(runtime):
    before = (runtime / MARK).stat().st_ino
    assert make_runtime(runtime) == runtime and (runtime / MARK).stat().st_ino == before


def test_missing_room_is_told_with_the_bytes(tmp_path, monkeypatch):
    monkeypatch.setattr(own_runtime, "LEAST_ROOM", 1 << 60)
    with pytest.raises(RuntimeFault, match=r"\d+ bytes are missing"):
        make_runtime(tmp_path / "runtime")


def test_the_command_starts_whatever_became_of_its_environment(runtime, tmp_path, monkeypatch):
    environment = tmp_path / "venv"
    (environment / "bin").mkdir(parents=True)
    command = environment / "bin/brave-bridge"
    command.write_text("#!/x/python\nfrom brave_bridge.cli.entry import main\nmain()\n")
    command.chmod(0o755)
    os.chown(command, 1234, 1234)
    python = environment / "bin/python3"
    python.write_text("#!/bin/sh\nexit 1\n")
    python.chmod(0o755)
    monkeypatch.setattr(starter.sys, "prefix", str(environment))
    monkeypatch.setattr(starter.sys, "executable", str(python))
    monkeypatch.setattr(starter.shutil, "which", lambda name: str(command))
    assert starter.keep_starting(runtime) == [command]
    assert (command.stat().st_uid, command.stat().st_mode & 0o777) == (1234, 0o755)
    done = subprocess.run([command, "--version"], capture_output=True, text=True, check=False)
    assert done.returncode == 0 and done.stdout.startswith("brave-bridge ")
    assert f"pip install {own_runtime.NAME}" in done.stderr and str(environment) in done.stderr
    assert starter.keep_starting(runtime) == [command], "and again"


def test_a_program_of_somebody_else_on_the_path_is_left_alone(runtime, tmp_path, monkeypatch):
    other = tmp_path / "brave-bridge"
    other.write_text("#!/bin/sh\necho a program of somebody else\n")
    monkeypatch.setattr(starter.sys, "prefix", str(tmp_path))
    monkeypatch.setattr(starter.shutil, "which", lambda name: str(other))
    assert starter.keep_starting(runtime) == [] and "somebody else" in other.read_text()


def test_another_process_is_started_on_the_same_runtime(runtime):
    code = (
        "from brave_bridge.machines.runtime import own_runtime, python_argv\n"
        "import subprocess\n"
        "own = [*python_argv(), '-c', 'import sys; print(sys.executable)']\n"
        "print(own_runtime(), subprocess.run(own, capture_output=True, text=True).stdout)"
    )
    done = subprocess.run(
        [*python_argv(runtime), "-c", code], capture_output=True, text=True, check=True
    )
    assert done.stdout.split() == [str(runtime), str(runtime / "bin/python3")]


def test_a_link_planted_beside_the_command_leads_to_nothing(runtime, tmp_path, monkeypatch):
    environment, secret = tmp_path / "venv/bin", tmp_path / "secret"
    environment.mkdir(parents=True)
    secret.write_text("secret")
    command = environment / "brave-bridge"
    command.write_text("from brave_bridge.cli.entry import main\n")
    for name in (".brave-bridge.new", ".brave-bridge.new.new", "brave-bridge.new"):
        os.symlink(secret, environment / name)
    monkeypatch.setattr(starter.sys, "prefix", str(environment.parent))
    monkeypatch.setattr(starter.shutil, "which", lambda name: None)
    assert starter.keep_starting(runtime) == [command]
    assert secret.read_text() == "secret"

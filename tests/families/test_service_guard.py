"""The guard over package scripts, asked as invoke-rc.d(8) asks it."""

import subprocess
from pathlib import Path

import pytest

from brave_bridge.families.deb.service_guard import GUARD, guard, unguard
from brave_bridge.machines.tree import TreeMachine


@pytest.fixture
def machine(tmp_path):
    (tmp_path / "etc").mkdir()
    return TreeMachine("trial", tmp_path)


def asked(machine, *words: str) -> int:
    script = Path(str(machine.root)) / GUARD.lstrip("/")
    return subprocess.run([str(script), *words], timeout=10).returncode


def test_in_a_system_that_does_not_run_nothing_starts(machine):
    guard(machine, ())
    assert asked(machine, "ssh", "restart") == 101
    unguard(machine)
    assert not machine.files.is_file(GUARD)


def test_in_one_that_runs_only_those_wait_that_were_named(machine, monkeypatch):
    monkeypatch.setattr(type(machine), "kind", "running")
    guard(machine, ())
    assert not machine.files.is_file(GUARD)
    guard(machine, ("tide-base.service", "odd$(touch x).service"))
    assert asked(machine, "tide-base.service", "restart") == 101
    assert asked(machine, "tide-base", "stop") == 101
    assert asked(machine, "ssh.service", "restart") == 0
    assert b"touch" not in machine.files.read(GUARD, 10_000), "what is no unit is not written down"


def test_a_guard_of_somebody_else_is_kept_and_put_back(machine):
    machine.files.write(GUARD, b"#!/bin/sh\nexit 104\n", mode=0o755)
    for _ in range(2):
        guard(machine, ())
    assert asked(machine, "ssh", "restart") == 101
    for _ in range(2):
        unguard(machine)
    assert asked(machine, "ssh", "restart") == 104

"""The guard over services, as the system's own tools heed it."""

import pytest

from brave_bridge.families.deb.service_guard import guard
from brave_bridge.machines.tree import TreeMachine
from tests.support import lab


@pytest.fixture
def tree(bullseye, tmp_path):
    """The Debian tree, on an overlay of its own."""
    with lab.overlay(bullseye, tmp_path / "layers") as root:
        yield root


def test_the_systems_own_tools_let_those_services_wait_and_no_others(tree, monkeypatch):
    monkeypatch.setattr(TreeMachine, "kind", "running")
    guard(TreeMachine("trial", tree), ("cron.service",))
    for command in _restarting("cron"):
        _, told = lab.in_tree(tree, *command)
        assert "101" in told or "denied" in told, told
    for command in _restarting("rsyslog"):
        _, told = lab.in_tree(tree, *command)
        assert "101" not in told and "denied" not in told, told


def _restarting(name: str) -> tuple[tuple[str, ...], ...]:
    return ("deb-systemd-invoke", "restart", f"{name}.service"), ("invoke-rc.d", name, "restart")

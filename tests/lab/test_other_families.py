"""Roots of the rpm and alpm families, made by their own package managers, surveyed by files."""

import shutil

import pytest

from brave_bridge.core.survey.findings import stops
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.targets import Target
from tests.support import other_families


def missing(*tools: str) -> str:
    lacking = [tool for tool in tools if shutil.which(tool) is None]
    return f"missing tools: {', '.join(lacking)}" if lacking else ""


def survey(root):
    return Desk(Target("tree", str(root)), TreeMachine("heron", root)).survey()


@pytest.mark.skipif(bool(missing("rpm", "rpmbuild")), reason=missing("rpm", "rpmbuild"))
def test_an_rpm_root_is_identified_and_read_without_rpm(tmp_path):
    packages = {"openssl": "1:3.2.2-6", "gauge-tool": "0.4-1", "glibc": "2.34-100"}
    root = other_families.rpm_root(tmp_path, packages)
    (root / "etc/gauge-tool.conf").write_text("changed\n")
    (root / "etc/openssl.conf.rpmnew").write_text("new\n")
    surveyed = survey(root)
    facts = surveyed.facts
    assert {f"{p.name} {p.version}" for p in facts.installed} == other_families.rpm_says(
        tmp_path, root
    )
    assert (surveyed.line.id, surveyed.release.key) == ("almalinux", "9")
    assert [c.path for c in facts.changed_configs] == ["/etc/gauge-tool.conf"]
    assert facts.set_aside == ("/etc/openssl.conf.rpmnew",)
    assert [source.suites for source in facts.sources] == [("base",), ("extra",)]
    found = {f.id: f for f in surveyed.findings}
    assert "b.example" in found["unsigned-sources"].title
    assert stops(surveyed.findings) == ()
    assert facts.tools["openssl"] == "1:3.2.2-6"


@pytest.mark.skipif(bool(missing("pacman")), reason=missing("pacman"))
def test_an_alpm_root_is_identified_and_read_without_pacman(tmp_path):
    root = other_families.alpm_root(tmp_path, {"gauge-tool": "0.4-1", "linux": "6.11.2-1"})
    (root / "etc/gauge-tool.conf").write_text("changed\n")
    (root / "etc/pacman.conf.pacnew").write_text("new\n")
    surveyed = survey(root)
    facts = surveyed.facts
    assert {(p.name, p.version) for p in facts.installed} == {
        ("gauge-tool", "0.4-1"),
        ("linux", "6.11.2-1"),
    }
    assert (surveyed.line.id, surveyed.release.key) == ("arch", "rolling")
    assert [c.path for c in facts.changed_configs] == ["/etc/gauge-tool.conf"]
    assert facts.set_aside == ("/etc/pacman.conf.pacnew",)
    found = {f.id: f for f in surveyed.findings}
    assert found["unsigned-sources"].verdict.value == "caution"
    assert "rolling" in found["support-window"].title
    assert stops(surveyed.findings) == ()


@pytest.mark.skipif(bool(missing("rpm", "rpmbuild")), reason=missing("rpm", "rpmbuild"))
def test_what_dnf_leaves_as_it_is_is_told_with_the_line_that_says_so(tmp_path):
    packages = {"openssl": "1:3.2.2-6", "gauge-tool": "0.4-1", "kernel-core": "6.1.9-3"}
    root = other_families.rpm_root(tmp_path, packages)
    (root / "etc/dnf/plugins").mkdir(parents=True)
    (root / "etc/dnf/dnf.conf").write_text("[main]\ngpgcheck=1\nexcludepkgs=tide-*, gauge-*\n")
    lock = root / "etc/dnf/plugins/versionlock.list"
    lock.write_text("# kept\nkernel-core-0:6.1.*\n!openssl-1:3.2.2-6.*\nopenssl-1:9.*\n")
    facts = survey(root).facts
    held = {package.name: package.held_by for package in facts.held}
    assert held == {
        "gauge-tool": "/etc/dnf/dnf.conf [main]",
        "kernel-core": "/etc/dnf/plugins/versionlock.list:2",
    }
    found = {f.id: f for f in survey(root).findings}["held-packages"]
    assert (
        "/etc/dnf/dnf.conf [main]" in found.evidence and "/etc/dnf/dnf.conf [main]" in found.remedy
    )
    (root / "etc/dnf/plugins/versionlock.conf").write_text("[main]\nenabled = 0\n")
    assert [package.name for package in survey(root).facts.held] == ["gauge-tool"]


@pytest.mark.skipif(bool(missing("pacman")), reason=missing("pacman"))
def test_what_pacman_passes_over_is_told_with_the_line_that_says_so(tmp_path):
    root = other_families.alpm_root(tmp_path, {"gauge-tool": "0.4-1", "linux": "6.11.2-1"})
    config = root / "etc/pacman.conf"
    text = config.read_text().replace("[options]", "[options]\nIgnorePkg = linux tide-*")
    config.write_text(text)
    facts = survey(root).facts
    held = [(package.name, package.held_by) for package in facts.held]
    assert held == [("linux", "/etc/pacman.conf [options]")]

"""Options of dnf and pacman that a leg cannot go by, each with the section that says it."""

from brave_bridge.core.survey.manager_options import dnf_options, dnf_release, pacman_options

DNF = """[main]
gpgcheck=1
assumeno=True
best=False
install_weak_deps=1
tsflags=nodocs
installonly_limit=3
[other]
assumeno=1
"""
PACMAN = """[options]
HoldPkg = pacman glibc
IgnorePkg = linux
NoUpgrade = etc/passwd
[core]
NoExtract = not/ours
"""


def test_what_of_dnf_s_options_is_against_a_plan_is_told():
    found = {one.name: one for one in dnf_options(DNF, "/etc/dnf/dnf.conf")}
    assert set(found) == {"assumeno=True", "best=False", "tsflags=nodocs", "installonly_limit=3"}
    assert found["best=False"].where == "/etc/dnf/dnf.conf:1"
    assert list(dnf_options("[main]\nassumeno=0\nbest=1\n", "x")) == []
    assert list(dnf_options("no section = 1\n[", "x")) == []


def test_a_release_that_dnf_is_told_to_take_is_told_with_its_place():
    told = dnf_release("", "/etc/dnf/dnf.conf", "11\n", "/etc/dnf/vars/releasever")
    assert told is not None and (told.name, told.where) == ("11", "/etc/dnf/vars/releasever")
    told = dnf_release("[main]\nreleasever=12\n", "/etc/dnf/dnf.conf", "", "x")
    assert told is not None and (told.name, told.where) == ("12", "/etc/dnf/dnf.conf:1")
    assert dnf_release(DNF, "/etc/dnf/dnf.conf", "", "x") is None


def test_what_of_pacman_s_options_changes_a_leg_is_told():
    found = {one.name.partition(" ")[0]: one.why for one in pacman_options(PACMAN, "/etc/p")}
    assert set(found) == {"HoldPkg", "NoUpgrade"}

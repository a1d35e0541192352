"""Kernels of a real Debian: whose they are, what they drive, a series held, one added."""

from pathlib import Path

import pytest

from brave_bridge.archives.fault import ArchiveFault
from brave_bridge.core.crossing.kernels.change_kernels import KernelChange, change_kernels
from brave_bridge.core.crossing.kernels.hold_series import hold_series, let_series_go
from brave_bridge.core.crossing.replies import FileText
from brave_bridge.core.formats.kernel_modules import read_aliases, read_builtin_aliases
from brave_bridge.core.kernels.drivers import Drivers
from brave_bridge.core.kernels.kernel_package import FOLLOWS, IMAGE
from brave_bridge.families.deb.shipped import module_aliases
from brave_bridge.families.registry import commands_of, family_named, survey
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.runner.inline import drive
from brave_bridge.runner.performer import Performer
from brave_bridge.workbench.boot.kernel_series import kernels_coming
from brave_bridge.workbench.boot.offered_kernels import fetched_branch, offered_kernels
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.targets import Target
from tests.support import bootlab, lab

pytestmark = pytest.mark.xdist_group("kernels")
NETWORK_CARD = "pci:v00001AF4d00001000sv00001AF4sd00000001bc02sc00i00"


def of_two_releases(folder: Path):
    """A Debian 12 whose sources have 13 as well."""
    source = folder / "etc/apt/sources.list"
    source.write_text(source.read_text() + f"deb {lab.mirrors()[0]} trixie main\n")
    code, said = lab.in_tree(folder, "apt-get", "update")
    assert code == 0, said


def carried_out(desk: Desk, script, name: str):
    return drive(script, Performer(desk.machine, "deb", desk.beside, name))


def test_whose_a_kernel_is_and_what_it_drives():
    tree = bootlab.tree()
    machine = TreeMachine("heron", tree)
    facts = survey(machine, "deb")
    (image,) = (package for package in facts.kernel_packages if package.part == IMAGE)
    (follower,) = (package for package in facts.kernel_packages if package.part == FOLLOWS)
    assert image.kernel == facts.kernels[0].version == bootlab.kernel_of(tree)
    assert follower.needs == (image.name,) and follower.kernel == image.kernel
    folder = tree / f"lib/modules/{image.kernel}"
    own = {*read_aliases((folder / "modules.alias").read_text())}
    own |= {*read_builtin_aliases((folder / "modules.builtin.modinfo").read_bytes())}
    # What depmod wrote on the machine, and what the package's own modules say.
    told = {*module_aliases(machine, facts.sources, ((image.name, image.version),))}
    assert len(own) > 1000 and told == own
    assert Drivers(told).of(NETWORK_CARD) == ("virtio_pci",)
    with pytest.raises(ArchiveFault, match="no list of an archive is kept"):
        list(module_aliases(machine, (), ((image.name, image.version),)))


def test_one_kernel_of_another_release_comes_alone_and_goes_whole(tmp_path):
    with lab.overlay(bootlab.tree(), tmp_path) as tree:
        desk = Desk(Target("tree", str(tree)))
        held, deb = bootlab.kernel_of(tree), commands_of("deb")
        before = {package.name: package.version for package in desk.facts().installed}
        lists = fetched_branch(desk, f"deb {lab.mirrors()[0]} trixie main")
        offered = (one for one in offered_kernels(desk, lists) if one.flavour == "cloud-amd64")
        wanted = next(one for one in offered if one.series == "6.12")
        change = KernelChange(add=wanted.packages, branch=lists)
        outcome = carried_out(desk, change_kernels(deb, change), "add")
        assert outcome.state == "done", outcome
        after = {package.name: package.version for package in desk.facts().installed}
        assert after == {**before, wanted.package: wanted.version}
        assert (tree / f"boot/initrd.img-{wanted.kernel}").stat().st_size > 1_000_000
        # Nothing of the other release is left but the kernel: no source, no index, no file.
        assert "trixie" not in (tree / "etc/apt/sources.list").read_text()
        assert not list((tree / "var/lib/apt/lists").glob("*trixie*"))
        assert not list((tree / "var/cache").glob("brave-bridge/*"))
        away = KernelChange(remove=(held,))
        assert "have to stay" in carried_out(desk, change_kernels(deb, away), "no").why
        # With a third one it goes again, and all of it.
        (tree / "boot/vmlinuz-9.9.9").write_bytes(b"an image")
        gone = KernelChange(remove=(wanted.kernel,))
        outcome = carried_out(desk, change_kernels(deb, gone), "remove")
        assert outcome.state == "done", outcome
        assert {p.name: p.version for p in desk.facts().installed} == before
        left = [path for path in (tree / "lib/modules").iterdir() if path.name != held]
        assert not left and not (tree / f"boot/initrd.img-{wanted.kernel}").exists()


def test_a_series_is_held_by_the_real_apt(tmp_path):
    with lab.overlay(bootlab.tree(), tmp_path) as tree:
        of_two_releases(tree)
        desk, deb = Desk(Target("tree", str(tree))), commands_of("deb")
        facts = desk.facts()
        assert any(update.name == "linux-image-cloud-amd64" for update in facts.updates)
        followers = [package for package in facts.kernel_packages if package.needs]
        file = family_named("deb").kernel_holding.hold(facts, {}, "6.1", followers)
        assert carried_out(desk, hold_series(deb, "6.1", file), "hold").state == "done"
        said = lab.in_tree(tree, "apt-get", "--simulate", "dist-upgrade")[1]
        assert "base-files" in said and "linux-image-6.12" not in said
        facts = desk.facts()
        assert not any(update.name == "linux-image-cloud-amd64" for update in facts.updates)
        assert [one.held_back for one in kernels_coming(facts)] == [True]
        assert carried_out(desk, let_series_go(FileText(file.path, "")), "go").state == "done"
        assert not (tree / file.path.lstrip("/")).exists()
        assert any(u.name == "linux-image-cloud-amd64" for u in desk.facts().updates)

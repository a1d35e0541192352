"""A kernel built on a stand-in: its configuration carried over, checked, installed, read back."""

import pytest

from brave_bridge.core.crossing.kernels.build_kernel import LEAVE
from brave_bridge.machines.standin import live
from brave_bridge.runner.briefs import BuildBrief
from brave_bridge.workbench.boot.kernel_building import (
    RECORDS,
    SourceTree,
    Wishes,
    _needs_of_roles,
    begin_build,
    configuration_of,
    order_for,
    protected_by_role,
    source_trees,
    tree_or_only,
    wanted_from,
)
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.roles import known_roles
from tests.standin.test_kernels import carried_out
from tests.standin.test_restarts import anew
from tests.standin.test_trials import next_kernel, tried
from tests.support.runs import answering, begin, carry_out, contents, outcome_of

TREE, BUILT, OLD = "/usr/src/linux-6.12.9", "6.12.9", "6.6.0-1"


def built(desk, name: str = "build", **wishes):
    return carried_out(desk, brief(desk, **wishes), name)


def brief(desk, **wishes) -> BuildBrief:
    facts = desk.facts()
    tree = SourceTree(desk.machine, TREE, facts.identity.architecture)
    return BuildBrief(order_for(desk, facts, tree, Wishes(**wishes)))


def test_a_kernel_is_built_tried_and_has_what_it_must_have(stand_in):
    desk = stand_in("knot")
    (desk.machine.root / "usr/src/linux").symlink_to("linux-6.6.31")
    outcome = built(desk)
    assert outcome.state == "done" and len(outcome.ways_back) == 1, outcome
    assert any(f"boot-once {BUILT}" in words for words in outcome.warnings)
    assert next_kernel(desk) == OLD and live.load(desk.machine.root).kernel == OLD
    assert (desk.machine.root / "usr/src/linux").readlink().name == "linux-6.12.9"
    assert tried(desk, BUILT).proof.passed and next_kernel(desk) == BUILT
    findings = {finding.id: finding for finding in desk.survey().findings}
    assert (
        findings["built-kernel"].title == f"Kernel {BUILT}, built here, has all 7 protected options"
    )
    # What the running kernel says of itself counts, not what was meant.
    place = f"/boot/config-{BUILT}"
    text = desk.machine.files.read(place, 10_000).replace(b"CONFIG_TIDE_ROUTE=m\n", b"")
    desk.machine.files.write(place, text)
    findings = {finding.id: finding for finding in desk.survey().findings}
    assert "lacks 1 option" in findings["built-kernel"].title
    assert "module tide_route is in use" in findings["built-kernel"].evidence


def test_modules_from_outside_are_built_for_it_or_told(stand_in):
    desk = stand_in("knot")

    described = live.load(desk.machine.root)
    described.rebuilt_modules = ["tide-gauge/1.2", "old-radar/0.9"]
    described.broken_modules = ["old-radar/0.9"]
    live.write_kernel_files(desk.machine.root, described)
    live.save(desk.machine.root, described)
    outcome = built(desk)
    assert outcome.state == "done"
    assert not any("tide-gauge" in words for words in outcome.warnings)
    (told,) = [words for words in outcome.warnings if "old-radar" in words]
    assert "could not be built for it" in told
    modules = {module.name: module.built_for for module in desk.facts().hardware.modules}
    assert BUILT in modules["tide-gauge"] and BUILT not in modules["old-radar"]


def test_one_that_lacks_what_it_must_have_is_not_kept(stand_in):
    desk = stand_in("knot")
    assert built(desk).state == "done"
    place = f"/boot/config-{BUILT}"
    text = desk.machine.files.read(place, 10_000).replace(b"CONFIG_EXT4_FS=y\n", b"")
    desk.machine.files.write(place, text)
    outcome = tried(desk, BUILT)
    assert (outcome.state, outcome.at) == ("failed", "options") and "EXT4_FS" in outcome.why
    assert next_kernel(desk) == OLD


def test_what_it_changes_is_told_in_groups_with_its_own_words(stand_in):
    desk = stand_in("knot")
    with pytest.raises(Refused, match="no configuration yet"):
        configuration_of(desk, TREE)
    before = contents(desk.machine.root)
    assert built(desk, configure_only=True).state == "done"
    changed = {
        path for path, what in contents(desk.machine.root).items() if before.get(path) != what
    }
    assert [path for path in changed if not path.startswith("var/lib/brave-bridge")] == [
        f"{TREE.lstrip('/')}/.config"
    ]
    found = configuration_of(desk, TREE)
    changes = {change.name: change for change in found.changes}
    assert changes["SLOW_ROUTE"].kind == "dropped" and changes["TIDE_FORECAST"].kind == "new"
    assert (
        changes["TIDE_FORECAST"].menu == ("Networking",) and "tide" in changes["TIDE_FORECAST"].help
    )
    assert not found.unmet and found.objects == 7


def test_what_cannot_be_is_said_before_anything_is_built(stand_in):
    desk = stand_in("knot")
    outcome = built(desk, wanted={"NETFILTER": "n"})
    assert (outcome.state, outcome.at) == ("stopped", "configuration")
    assert (
        "TIDE_ROUTE is off, not on (module tide_route is in use); it needs NETFILTER" in outcome.why
    )
    assert built(desk, "again", wanted={"NETFILTER": "n"}, let_go=("TIDE_ROUTE",)).state == "done"


def test_what_a_machine_is_there_for_is_protected_by_role(stand_in):
    desk = stand_in("avocet")
    found = {one.name: one.why for one in protected_by_role(desk.facts())}
    assert "virtual machines and containers" in found["OVERLAY_FS"]
    assert {"CGROUPS", "UNIX98_PTYS"} <= found.keys()
    assert not list(protected_by_role(stand_in("knot").facts()))
    known = {role for package in desk.facts().installed if (role := known_roles().of(package.name))}
    assert {one.name for one in known} & {needs.role for needs in _needs_of_roles()}


def test_it_can_be_left_before_it_is_built(stand_in):
    desk = stand_in("knot")
    begin(desk, brief(desk), "build", unattended=False)
    answering(lambda: anew(desk), "build", lambda question: LEAVE)
    assert carry_out(desk.machine.root, "knot", "build") == 0
    assert outcome_of(desk.machine.root, "knot", "build").state == "done"
    assert BUILT not in {kernel.version for kernel in desk.facts().kernels}


def test_nothing_is_installed_where_the_boot_partition_is_not_there_or_full(stand_in):
    desk = stand_in("knot")
    desk.machine.files.write("/etc/fstab", b"/dev/sda1 /boot ext4 defaults 0 2\n")
    outcome = built(desk)
    assert (outcome.state, outcome.at) == ("stopped", "boot partition")
    assert "mount /boot" in outcome.why and not desk.snapshots.all()
    desk.machine.files.write("/etc/fstab", b"")
    known = live.load(desk.machine.root)
    known.rooms |= {"/": live.LiveRoom(9000, 5000), "/boot": live.LiveRoom(100, 5)}
    live.save(desk.machine.root, known)
    outcome = built(desk, "again")
    assert outcome.at == "boot partition" and "are free on" in outcome.why


def test_the_trees_and_what_is_refused(stand_in, tmp_path):
    desk = stand_in("knot")
    assert source_trees(desk.machine) == [TREE] and tree_or_only(desk, "") == TREE
    with pytest.raises(Refused, match="no source of a kernel; there are: /usr/src/linux-6"):
        SourceTree(desk.machine, "/usr/src/linux-6.6.31", "amd64")
    with pytest.raises(Refused, match="is not OPTION=VALUE"):
        wanted_from(["TIDE"])
    assert wanted_from(["CONFIG_TIDE=m"]) == {"TIDE": "m"}
    (desk.machine.root / "usr/bin/flex").unlink()
    with pytest.raises(Refused, match="not installed: flex"):
        begin_build(desk, TREE, Wishes(), unattended=True)
    assert not desk.machine.files.matching(f"{RECORDS}/*")

"""A leg is whole only where every package is, and where what boots next is there whole."""

import msgspec
import pytest

from brave_bridge.core.boot.entries import BootEntry, Loader
from brave_bridge.core.crossing.cross import cross_route
from brave_bridge.core.crossing.open_leg import OpenLeg
from brave_bridge.core.crossing.replies import Answered, FactsRead, PackagesPlanned, Ran
from brave_bridge.core.crossing.requests import Ask, KeepOpenLeg, PlanPackages, ReadFacts, Restart
from brave_bridge.core.crossing.two_stages import TwoStages
from brave_bridge.core.formats.fault_lines import fault_lines
from brave_bridge.core.packages.changes import PackageChanges
from brave_bridge.core.survey.boot_fitness import (
    room_for_a_kernel,
    spare_kernels,
    unfit_to_boot,
)
from brave_bridge.core.survey.findings import OpenLegSeen
from brave_bridge.core.survey.platform import Kernel, Space
from brave_bridge.families.deb.commands import DebCommands
from tests.core.test_cross_script import BROKEN, Machine, cross, crossed_facts, drive, runs
from tests.core.test_restart_script import NEW, OLD, Restarting, well, with_restart
from tests.core.test_restart_script import cross as cross_over_a_restart
from tests.core.test_rules import all_rules, judged
from tests.support.facts import change, facts, package, plan

SAID = """Setting up quay-webd (2) ...
update-quay: cannot write /boot/quay.img: No space left on device
dpkg: error processing package quay-webd (--configure):
 installed quay-webd package post-installation script subprocess returned error exit status 1
dpkg: dependency problems prevent configuration of quay-site:
 quay-site depends on quay-webd; however:
  Package quay-webd is not configured yet.

dpkg: error processing package quay-site (--configure):
 dependency problems - leaving unconfigured
dpkg: warning: unable to delete old directory '/var/lib/quay': Directory not empty
Errors were encountered while processing:
 quay-webd
E: Sub-process /usr/bin/dpkg returned an error code (1)
"""


def half_configured():
    present = crossed_facts()
    broken = package("quay-webd", "2", state="half-configured")
    return msgspec.structs.replace(present, packages=(*present.packages[:1], broken))


def stays_half_configured(machine: Machine) -> Machine:
    """Whatever is asked from now on, a package's script fails."""
    machine.instead(lambda r: isinstance(r, ReadFacts) and machine.crossed, half())
    return machine.instead(runs("--pending"), Ran(1, SAID, 1, "j"))


def half() -> FactsRead:
    return FactsRead(half_configured())


def test_a_stage_that_ends_with_0_and_leaves_a_package_half_done_did_not_end_well():
    machine = stays_half_configured(Machine())
    outcome = cross(machine)
    assert (outcome.state, outcome.at) == ("failed", "stage two")
    assert "half done: quay-webd (half-configured)" in outcome.why
    assert "No space left on device" in outcome.why, "what the script itself said"


def test_what_a_repair_cures_behind_a_stage_is_whole():
    machine = Machine()
    machine.instead(lambda r: isinstance(r, ReadFacts) and machine.crossed, half(), times=1)
    assert cross(machine).state == "done"
    assert "--pending" in machine.ran()


def test_going_on_never_declares_a_half_configured_system_whole():
    machine = Machine().instead(runs("stage two"), BROKEN)
    cross(machine)
    for _ in range(3):
        leg = next(r.leg for r in reversed(machine.asked) if isinstance(r, KeepOpenLeg))
        machine = stays_half_configured(Machine())
        machine.crossed = True
        nothing_left = PackagesPlanned((PackageChanges(),))
        machine.instead(lambda r: isinstance(r, PlanPackages), nothing_left)
        machine.instead(runs("rehearsal"), Ran(0, "", 1, "j"))
        outcome = drive(cross_route(TwoStages(DebCommands()), leg.plans, leg), machine)
        assert (outcome.state, outcome.at) == ("failed", "packages")
        assert "quay-webd" in outcome.why and "No space left on device" in outcome.why


def test_a_kernel_without_its_initial_file_system_is_not_restarted_into():
    machine = Restarting(well())
    images = tuple(
        Kernel(name, f"/boot/vmlinuz-{name}", 1, initrd="" if name == NEW else f"/boot/i-{name}")
        for name in (OLD, NEW)
    )
    machine.now = msgspec.structs.replace(machine.now, kernels=images)
    outcome = cross_over_a_restart(machine, with_restart())
    assert (outcome.state, outcome.at) == ("failed", "restart")
    assert f"kernel {NEW} has no initial file system" in outcome.why
    assert not [r for r in machine.asked if isinstance(r, Restart)]
    assert not [r for r in machine.asked if isinstance(r, Ask) and "estart" in r.title]


def test_what_is_half_done_at_the_restart_is_repaired_or_told():
    machine = Restarting(well())
    broken = package("quay-linux-image", "6", state="triggers-pending")
    machine.instead(
        lambda r: isinstance(r, ReadFacts) and "restart is needed" in r.title,
        FactsRead(msgspec.structs.replace(machine.now, packages=(broken,))),
        times=1,
    )
    assert cross_over_a_restart(machine, with_restart()).state == "done"
    assert "--pending" in machine.ran()


def kernel(version: str, **changes) -> Kernel:
    return msgspec.structs.replace(
        Kernel(version, f"/boot/vmlinuz-{version}", 9, boot_bytes=60_000_000), **changes
    )


@pytest.mark.parametrize(
    ("kernels", "entries", "lacks"),
    [
        ((kernel("1"), kernel("2")), (), ""),
        ((kernel("1", initrd="/boot/i"), kernel("2", initrd="")), (), "no initial file system"),
        ((kernel("1", initrd="", running=True), kernel("2", initrd="")), (), ""),
        ((kernel("1", modules=True), kernel("2", modules=False)), (), "the modules of kernel 2"),
        ((kernel("1", modules=False), kernel("2", modules=False)), (), ""),
        ((kernel("1"),), (), "no image of kernel 2"),
        ((kernel("1"), kernel("2")), ("1",), "no entry of the boot menu"),
        ((kernel("1"), kernel("2")), ("1", "2"), ""),
    ],
)
def test_what_a_boot_would_lack(kernels, entries, lacks):
    made = tuple(BootEntry(id=name, title=name, kernel=name) for name in entries)
    seen = msgspec.structs.replace(facts(), kernels=kernels, loader=Loader("grub", entries=made))
    found = unfit_to_boot(seen, "2")
    assert [lacks in one for one in found] == ([True] if lacks else []), found


def test_one_initial_file_system_less_is_missed_also_where_no_kernel_has_any():
    made = (*facts().packages, package("initramfs-tools"))
    seen = msgspec.structs.replace(facts(), kernels=(kernel("2", initrd=""),), packages=made)
    assert "no initial file system" in unfit_to_boot(seen, "2")[0]


def test_the_only_kernel_that_can_boot_is_never_named_to_make_room():
    kernels = (kernel("1", initrd="/boot/i"), kernel("2", initrd=""), kernel("3", initrd=""))
    space = (Space("/boot", 3_000_000, 500_000_000, 900, 900),)
    seen = msgspec.structs.replace(facts(), kernels=kernels, space=space)
    assert spare_kernels(seen) == ("2", "3")
    assert not room_for_a_kernel(seen).is_enough
    assert "3.0 MB free" in room_for_a_kernel(seen).words


def test_the_cause_comes_first_with_what_the_script_said():
    cause, follows, standing, warning = fault_lines(SAID)
    assert cause.startswith("dpkg: error processing package quay-webd")
    assert cause.endswith(
        "(it said: update-quay: cannot write /boot/quay.img: No space left on device)"
    )
    assert "quay-site" in follows and "Sub-process" in standing
    assert warning.startswith("dpkg: warning: unable to delete")


def test_of_a_damaged_status_file_the_damage_comes_before_the_standing_advice():
    output = (
        "E: dpkg was interrupted, you must manually run 'dpkg --configure -a' to correct it.\n"
        "dpkg: error: parsing file '/var/lib/dpkg/status' near line 5:\n value for 'status' field\n"
    )
    assert "near line 5" in fault_lines(output)[0]


def test_in_a_half_done_state_only_what_ends_it_stands_in_the_way():
    half_done = OpenLegSeen("7 to 8", "stage two", "no space left on /boot", "s-1")
    assert "known-release" in {f.id for f in judged(line=None, release=None) if f.verdict == "stop"}
    found = judged(open_leg=half_done, line=None, release=None)
    standing = [finding.id for finding in found if finding.verdict in ("stop", "caution")]
    half_way = {rule.id for rule in all_rules() if rule.half_way}
    assert "open-leg" in standing and set(standing) <= half_way
    later = [f for f in found if f.evidence == "judged again when 7 to 8 is whole"]
    assert later and not {finding.id for finding in later} & half_way


def test_updates_do_not_come_before_the_leg_that_is_half_done():
    updating = next(rule for rule in all_rules() if rule.id == "pending-updates")
    assert not updating.half_way


FATAL = """E: Can not write log (Is /dev/pts mounted?) - posix_openpt (19: No such device)
dpkg: unrecoverable fatal error, aborting:
 unknown system user 'nobodyknows' in statoverride file; the system user got removed
before the override, which is most probably a packaging bug, to recover you
can remove the override manually with dpkg-statoverride
E: Sub-process /usr/bin/dpkg returned an error code (2)
"""


def test_a_failure_of_the_whole_package_manager_is_told_with_all_its_words():
    first, *_ = fault_lines(FATAL)
    assert first.startswith("dpkg: unrecoverable fatal error, aborting: unknown system user")
    assert first.endswith("can remove the override manually with dpkg-statoverride")


def gone_on_with(free: int, choice: str | None = None):
    """A leg that is gone on with while a kernel is to come; what it came to, and the machine."""
    brings = plan(upgraded=(change("quay-linux-image", "5", "6", section="kernel"),))
    kernels = (Kernel(OLD, f"/boot/vmlinuz-{OLD}", 50_000_000),)
    here = facts(kernels=kernels, space=(Space("/boot", free, 10**9, 1),))
    machine = Machine().instead(lambda r: isinstance(r, ReadFacts), FactsRead(here))
    if choice:
        asked = lambda r: isinstance(r, Ask) and "without room" in r.title  # noqa: E731
        machine.instead(asked, Answered(choice, "person"))
    begun = OpenLeg(
        family="deb", plans=(brings,), number=0, baseline=here, ways_back=("s-1",), at="stage two"
    )
    script = cross_route(TwoStages(DebCommands()), (brings,), begun)
    return drive(script, machine), machine


def test_room_for_a_kernel_is_asked_for_again_whenever_it_is_gone_on():
    outcome, machine = gone_on_with(free=10_000_000)
    assert (outcome.state, outcome.at) == ("failed", "ready")
    assert outcome.why.startswith("there is no room for a kernel: /boot: 10.0 MB free")
    assert "repair" not in " ".join(machine.ran())
    for free, choice in ((10_000_000, "go on"), (10**9, None)):
        outcome, machine = gone_on_with(free, choice)
        assert "no room for a kernel" not in outcome.why

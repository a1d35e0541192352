"""What is tried once: where that can be, what the loader is given, and when a trial ends."""

import pytest

from brave_bridge.core.boot.entries import BootEntry, Loader
from brave_bridge.core.boot.grub_menu import read_grub_menu
from brave_bridge.core.boot.grub_trial import Remembering, trial_part
from brave_bridge.core.crossing.replies import Failed, TrialArranged
from brave_bridge.core.crossing.requests import ArrangeTrial, Ask, EndTrial, Restart
from brave_bridge.core.crossing.restart import FELL_BACK
from brave_bridge.core.formats.marked_part import part_in, with_part, without_part
from tests.core.test_boot_files import MENU
from tests.core.test_restart_script import NEW, OLD, Restarting, cross, up, with_restart
from tests.support.facts import facts

MENU_OF_BOTH = Loader("grub", (BootEntry("new", NEW), BootEntry("old", OLD)))


@pytest.mark.parametrize("choice", ["gone", "firmware>gone"])
def test_what_the_menu_has_not_cannot_be_tried(choice):
    with pytest.raises(ValueError, match="no entry"):
        trial_part(MENU, read_grub_menu(MENU), choice, "firmware", "leg-1")


def test_the_trials_entry_is_the_chosen_one_with_what_brings_it_back():
    part = trial_part(MENU, read_grub_menu(MENU), "quayside-simple", "firmware", "leg-1")
    assert 'root=UUID=4f2e ro "panic=5" panic=10 brave_bridge.trial=leg-1' in part
    assert "search --no-floppy --fs-uuid --set=root 4f2e" in part and "5.19" not in part
    assert "set default='firmware'" in part and "save_env brave_bridge_trial" in part
    on_esp = Remembering("AB-CD", "/EFI/quayside/trial.env")
    part = trial_part(MENU, read_grub_menu(MENU), "0", "firmware", "leg-1", remembering=on_esp)
    assert "load_env --file (${brave_bridge_esp})/EFI/quayside/trial.env" in part
    for bad in ("a b", "x;reboot", ""):
        with pytest.raises(ValueError, match="no name"):
            trial_part(MENU, read_grub_menu(MENU), "0", "firmware", bad)


def test_a_part_of_ours_leaves_the_rest_as_it_is():
    text = "menuentry 'mine' {\n}"
    once = with_part(text, "a\n")
    assert without_part(once) == text + "\n" and part_in(once) == "a\n"
    assert with_part(once, "b\n") == with_part(text, "b\n") and with_part(once, "") == text + "\n"
    torn = once.replace("# end of", "# fin of")
    assert without_part(torn) == torn and part_in(torn) == ""


class OnTrial(Restarting):
    """A machine whose loader tries things once."""

    def _healthy(self, request):
        if isinstance(request, ArrangeTrial):
            return TrialArranged("new", "old", ("old comes back by itself",))
        return super()._healthy(request)

    def numbers(self, kind: type) -> list[int]:
        return [n for n, request in enumerate(self.asked) if isinstance(request, kind)]


def came(kernel: str, boot: str):
    return up(facts(), kernel, boot, loader=MENU_OF_BOTH)


def crossing(*boots) -> OnTrial:
    machine = OnTrial(*boots)
    machine.now = up(machine.now, OLD, "a", activity=machine.now.activity, loader=MENU_OF_BOTH)
    return machine


def test_the_new_kernel_is_on_trial_until_the_proof_passed():
    well = up(Restarting().now, NEW, "b", activity=facts().activity, loader=MENU_OF_BOTH)
    machine = crossing(well)
    outcome = cross(machine)
    assert outcome.state == "done" and outcome.proof.passed, outcome
    (arranged,) = machine.numbers(ArrangeTrial)
    looked_on, ended = machine.numbers(EndTrial)
    (restarted,) = machine.numbers(Restart)
    assert arranged < restarted < looked_on < ended
    assert machine.asked[arranged].kernel == NEW
    assert machine.asked[looked_on].watch_only and not machine.asked[ended].watch_only
    asked = next(r for r in machine.asked if isinstance(r, Ask) and r.key == "restart-0-0")
    assert "old comes back by itself" in asked.detail


def test_a_kernel_that_does_not_come_up_is_told_and_tried_again_or_left():
    machine = crossing(came(OLD, "b"), came(OLD, "c"))
    outcome = cross(machine)
    assert (outcome.state, outcome.at) == ("failed", "came up")
    assert f"kernel {OLD} came up, {NEW} was expected" in outcome.why and FELL_BACK in outcome.why
    assert len(machine.numbers(ArrangeTrial)) == 2, "each try is a trial"
    assert all(machine.asked[n].watch_only for n in machine.numbers(EndTrial))


def test_where_nothing_would_bring_it_back_that_is_said_before_the_restart():
    well = up(Restarting().now, NEW, "b", activity=facts().activity, loader=MENU_OF_BOTH)
    machine = crossing(well)
    machine.instead(
        lambda r: isinstance(r, ArrangeTrial), Failed("trying", "its block is on btrfs")
    )
    assert cross(machine).state == "done"
    asked = next(r for r in machine.asked if isinstance(r, Ask) and r.key == "restart-0-0")
    assert "It is no trial: its block is on btrfs" in asked.detail and OLD in asked.detail
    assert not machine.numbers(EndTrial)


def test_no_other_kernel_is_no_trial():
    machine = crossing(up(Restarting().now, NEW, "b", activity=facts().activity))
    machine.now = up(machine.now, NEW, "a", activity=machine.now.activity, loader=MENU_OF_BOTH)
    cross(machine, with_restart())
    assert not machine.numbers(ArrangeTrial)

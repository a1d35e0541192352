"""A menu in the style of extlinux: read, refused for trials, its faults found, and booted."""

from pathlib import Path

from brave_bridge.bootloaders import trials
from brave_bridge.bootloaders.reading import read_loader
from brave_bridge.core.boot.extlinux import with_default
from brave_bridge.core.boot.trial_way import trial_way
from brave_bridge.core.survey.findings import Verdict
from brave_bridge.families.registry import survey
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.targets import Target
from tests.support import bootlab

MENU = """# made by hand
SERIAL 0 115200
DEFAULT {default}
PROMPT 0
TIMEOUT 1
LABEL good
  MENU LABEL Tide gauge
  LINUX /boot/vmlinuz-{kernel}
  INITRD /boot/initrd.img-{kernel}
  APPEND {options}
LABEL gone
  LINUX /boot/vmlinuz-6.1.0-99-gone
  APPEND {options}
"""


def prepare(root: Path) -> None:
    kernel = bootlab.kernel_of(root)
    text = MENU.format(default="good", kernel=kernel, options=bootlab.OPTIONS)
    (root / "boot/extlinux/extlinux.conf").write_text(text)


def test_it_is_read_no_trial_is_promised_and_it_boots(tmp_path):
    disk = bootlab.bios_with_extlinux(tmp_path, prepare)
    with disk.opened() as root:
        machine, kernel = TreeMachine("lab", root), bootlab.kernel_of(root)
        loader = read_loader(machine)
        assert (loader.kind, loader.default) == ("extlinux", "good")
        assert [entry.kernel for entry in loader.entries] == [kernel, "6.1.0-99-gone"]
        way = trial_way(trials.ground_of(survey(machine, "deb")))
        assert way.refusal and way.instead
        found = {f.id: f for f in Desk(Target("tree", str(root))).survey().findings}
        assert found["boot-entries"].verdict is Verdict.CAUTION
        assert "vmlinuz-6.1.0-99-gone" in found["boot-entries"].evidence
        menu = root / "boot/extlinux/extlinux.conf"
        text = menu.read_text()
        menu.write_text(text.replace("DEFAULT good", "DEFAULT gone-with-a-leg"))
        found = {f.id: f for f in Desk(Target("tree", str(root))).survey().findings}
        assert found["boot-entries"].verdict is Verdict.STOP
        assert "gone-with-a-leg" in found["boot-entries"].evidence
        menu.write_text(with_default(menu.read_text(), "good"))
        assert menu.read_text() == text
    came_up = disk.boot().came_up
    assert came_up is not None and came_up.kernel == kernel

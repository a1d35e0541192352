"""Options that a machine does not come up without: found, checked, and read back when it runs."""

import re
from collections.abc import Iterable, Iterator, Mapping

import msgspec

from brave_bridge.core.formats.kernel_modules import module_name
from brave_bridge.core.kconfig.conditions import BadCondition, Condition
from brave_bridge.core.kconfig.dotconfig import OFF
from brave_bridge.core.kconfig.language import Option

_FILE_SYSTEMS = {
    "ext2": "EXT4_FS",
    "ext3": "EXT4_FS",
    "ext4": "EXT4_FS",
    "btrfs": "BTRFS_FS",
    "xfs": "XFS_FS",
    "f2fs": "F2FS_FS",
    "vfat": "VFAT_FS",
    "squashfs": "SQUASHFS",
    "overlay": "OVERLAY_FS",
}
_ALWAYS = {
    "BLK_DEV_INITRD": "the initial file system is read by it",
    "DEVTMPFS": "the init finds devices there",
    "TMPFS": "the init keeps its state there",
    "BINFMT_ELF": "programs are of this form",
    "BINFMT_SCRIPT": "scripts begin with their interpreter",
}
_SERIAL = re.compile(r"console=ttyS\d")


class Protected(msgspec.Struct, frozen=True):
    """An option that must be on (``y`` or ``m``), or have a value, and why."""

    name: str
    why: str
    value: str = ""

    def is_met_by(self, config: Mapping[str, str]) -> bool:
        """Whether a configuration has it."""
        found = config.get(self.name, OFF)
        return found == self.value if self.value else found in ("y", "m")


def found_by_machine(
    modules: Iterable[str],
    option_of: Mapping[str, str],
    file_systems: Mapping[str, str],
    command_line: str,
) -> Iterator[Protected]:
    """What the machine as it runs tells.

    ``modules`` are those that are loaded, ``option_of`` the option that builds each;
    ``file_systems`` maps mounted places to their types.
    """
    found: dict[str, str] = dict(_ALWAYS)
    for place, kind in file_systems.items():
        if kind in _FILE_SYSTEMS:
            found.setdefault(_FILE_SYSTEMS[kind], f"{place} is {kind}")
    if _SERIAL.search(command_line):
        found["SERIAL_8250_CONSOLE"] = "the command line has its console on a serial port"
    for module in modules:
        option = option_of.get(module_name(module), "")
        if option:
            found.setdefault(option, f"module {module} is in use")
    yield from (Protected(name, why) for name, why in found.items())


class Unmet(msgspec.Struct, frozen=True):
    """A protected option that a configuration has not, and what keeps it from being on."""

    option: Protected
    has: str
    because: tuple[str, ...] = ()

    @property
    def words(self) -> str:
        """It in a sentence."""
        wanted = self.option.value or "on"
        why = f"; it needs {', '.join(self.because)}" if self.because else ""
        return f"{self.option.name} is {self.has}, not {wanted} ({self.option.why}){why}"


def unmet(
    protected: Iterable[Protected], config: Mapping[str, str], options: Mapping[str, Option]
) -> Iterator[Unmet]:
    """The protected options that a configuration has not.

    One that the tree does not know any more is among them.
    """
    for one in protected:
        if one.is_met_by(config):
            continue
        known = options.get(one.name)
        has = config.get(one.name, OFF)
        if known is None:
            because = ("an option that this tree does not have",) if options else ()
        else:
            because = tuple(dict.fromkeys(_failing(known, config)))[:4]
        yield Unmet(one, {OFF: "off"}.get(has, has), because)


def _failing(option: Option, config: Mapping[str, str]) -> Iterator[str]:
    for text in option.depends[:1]:
        try:
            yield from Condition(text).failing(config)
        except BadCondition:
            yield text

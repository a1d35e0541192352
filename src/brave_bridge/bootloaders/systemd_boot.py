"""systemd-boot: entries in files, choices in variables of the firmware, trials by counting."""

from collections.abc import Sequence
from fnmatch import fnmatchcase

from brave_bridge.bootloaders import entry_files, systemd_boot_writing
from brave_bridge.bootloaders.loader import BootLoader, Once
from brave_bridge.bootloaders.systemd_boot_writing import FOLDERS
from brave_bridge.core.boot.counted_trial import TRIAL_FILE
from brave_bridge.core.boot.entries import BootEntry, Loader, LoaderFault
from brave_bridge.core.boot.loader_faults import CHOICE
from brave_bridge.core.boot.loader_settings import default_of
from brave_bridge.core.boot.past_entry import PastSystem
from brave_bridge.core.boot.trial_way import TrialWay, comes_back
from brave_bridge.core.formats.text import one_line
from brave_bridge.core.survey.facts import Facts
from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Contents, Seen

COUNTED = "boot counting"
_CONFS = tuple(f"{folder}/loader.conf" for folder in FOLDERS)
_EFIVARS = "/sys/firmware/efi/efivars"
_GUID = "4a67b082-0a4c-41cf-b6c7-440b29bb8c4f"
"""The vendor of the variables in which loaders of the Boot Loader Interface keep choices."""
_CHOICES = tuple(f"{_EFIVARS}/LoaderEntry{name}-{_GUID}" for name in ("Default", "OneShot"))


class SystemdBoot(BootLoader):
    """systemd-boot, and whatever else reads its entries in files and nothing besides."""

    kind = called = "systemd-boot"
    offers_past = True
    queries = (Contents(_CONFS), Contents(_CHOICES, 16 * 1024), *entry_files.QUERIES)

    def is_there(self, seen: Seen) -> bool:
        return bool(entry_files.read(seen))

    def read(self, seen: Seen) -> Loader:
        entries = entry_files.read(seen)
        conf = next((path for path in _CONFS if path in seen.contents), "")
        kept, once = (_variable(seen, path) for path in _CHOICES)
        pattern = kept or default_of(seen.text(conf) or "")
        fitting = [entry.id for entry in entries if pattern and _fits(entry.id, pattern)]
        first = next((one for one in entries if one.id != TRIAL_FILE), entries[0])
        if entries[0].id == TRIAL_FILE and not (once or pattern):
            once = TRIAL_FILE
        words = f"{pattern} is to be booted, and no entry is called so"
        fault = () if fitting or not pattern else (LoaderFault(CHOICE, words),)
        return Loader(self.kind, entries, next(iter(fitting), first.id), once, conf, fault)

    def way(self, facts: Facts) -> TrialWay:
        if all(entry.where for entry in facts.loader.entries):
            return comes_back(self.called, COUNTED)
        return TrialWay(
            refusal="its entries are no files: a unified image has its options in itself",
            instead=("have an entry in a file of its own, beside the image",),
        )

    def menu_words(self, firmware: str) -> str:
        return "Switch on and hold Space until the boot menu comes."

    def arm(self, machine: Machine, facts: Facts, once: Once) -> str:
        return systemd_boot_writing.arm(machine, once.chosen, once.good, once.name)

    def disarm(self, machine: Machine) -> bool:
        return systemd_boot_writing.disarm(machine)

    def pin(self, machine: Machine, entry: BootEntry) -> str:
        return systemd_boot_writing.pin(machine, entry)

    def template_of(self, own: tuple[BootEntry, ...], past: PastSystem) -> BootEntry | None:
        # Its kernels are on the EFI system partition: what is gone there cannot be started.
        return next((e for e in own if e.kernel == past.kernel and e.where), None)

    def offer_past(self, machine: Machine, offered: Sequence[tuple[PastSystem, BootEntry]]) -> str:
        return systemd_boot_writing.offer_past(machine, offered)


def _fits(identifier: str, pattern: str) -> bool:
    names = (identifier.lower(), identifier.removesuffix(".conf").lower())
    return any(fnmatchcase(name, pattern.lower()) for name in names) or pattern.startswith("@")


def _variable(seen: Seen, path: str) -> str:
    return one_line(seen.contents.get(path, b"")[4:].decode("utf-16-le", "replace").rstrip("\0"))

"""systemd-boot on a machine: a trial as two entries of ours, and taken out again."""

from collections.abc import Sequence

from brave_bridge.core.boot.counted_trial import (
    GOOD_NAME,
    TRIAL_NAME,
    good_entry,
    is_of_trial,
    is_set_aside,
    trial_entry,
    with_default_again,
    without_default,
)
from brave_bridge.core.boot.entries import OURS, PAST_ID, BootEntry
from brave_bridge.core.boot.loader_entries import in_menu_order, read_loader_entry
from brave_bridge.core.boot.loader_settings import with_default
from brave_bridge.core.boot.past_entry import PastSystem, loader_entry
from brave_bridge.core.formats.text import decoded
from brave_bridge.machines.port import Machine, MachineError

FOLDERS = tuple(f"{place}/loader" for place in ("/boot", "/efi", "/boot/efi"))
_LIMIT = 64 * 1024


def arm(machine: Machine, chosen: BootEntry, good: BootEntry, trial: str) -> str:
    """Have the entry ``chosen`` booted once and ``good`` at every other boot; what was written.

    The trial's own file is written last: until then every boot takes ``good``.
    """
    folder = chosen.where.rpartition("/")[0]
    tried = trial_entry(_text(machine, chosen.where), trial)
    behind = good_entry(_text(machine, good.where))
    _clear(machine, folder)
    machine.files.write(f"{folder}/{GOOD_NAME}", behind.encode())
    conf = _conf(folder)
    settings = machine.files.read_if_there(conf, _LIMIT)
    if settings is not None:
        kept = without_default(decoded(settings))
        machine.files.write(conf, kept.encode())
    machine.files.write(f"{folder}/{TRIAL_NAME}", tried.encode())
    return f"{folder}/{TRIAL_NAME}, {folder}/{GOOD_NAME}"


def disarm(machine: Machine) -> bool:
    """Take a trial out again; whether there was one. The loader's own default holds then.

    That is put back first: whatever is left of the trial, no boot takes anything else.
    """
    had = False
    for loader in FOLDERS:
        conf = f"{loader}/loader.conf"
        settings = machine.files.read_if_there(conf, _LIMIT)
        if settings is not None and is_set_aside(text := decoded(settings)):
            machine.files.write(conf, with_default_again(text).encode())
            had = True
        had = _clear(machine, f"{loader}/entries") or had
    return had


def pin(machine: Machine, entry: BootEntry) -> str:
    """Have an entry booted from now on; the file that says so."""
    conf = _conf(entry.where.rpartition("/")[0])
    text = decoded(machine.files.read_if_there(conf, _LIMIT) or b"")
    machine.files.write(conf, with_default(text, entry.id).encode())
    return conf


def offer_past(machine: Machine, offered: Sequence[tuple[PastSystem, BootEntry]]) -> str:
    """Have the menu offer these past systems, each made after an entry, and no others.

    The folder that has them. MachineError where one would be booted by itself.
    """
    wanted: dict[str, str] = {}
    for past, template in offered:
        path = f"{template.where.rpartition('/')[0]}/{past.entry}.conf"
        text = loader_entry(_text(machine, template.where), past, template)
        made = read_loader_entry(text, path)
        if made is not None and in_menu_order((template, made))[0] is made:
            raise MachineError(
                "offering a past system",
                machine.name,
                "the loader would put it before the system of now, and boot it by itself",
                "give the entries of the system of now a sort-key",
            )
        wanted[path] = text
    for folder in FOLDERS:
        for path in machine.files.matching(f"{folder}/entries/{PAST_ID}*.conf"):
            if path not in wanted:
                machine.files.remove(path)
    for path, text in wanted.items():
        machine.files.write(path, text.encode())
    return ", ".join(wanted)


def _conf(entries: str) -> str:
    return f"{entries.rpartition('/')[0]}/loader.conf"


def _clear(machine: Machine, folder: str) -> bool:
    """Remove the files of a trial, whatever tries they have; whether there were some."""
    paths = machine.files.matching(f"{folder}/{OURS}*.conf")
    ours = [path for path in paths if is_of_trial(path.rpartition("/")[2])]
    for path in ours:
        machine.files.remove(path)
    return bool(ours)


def _text(machine: Machine, path: str) -> str:
    return decoded(machine.files.read(path, _LIMIT))

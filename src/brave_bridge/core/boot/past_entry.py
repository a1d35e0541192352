"""Boot entries of past systems: what a way back holds, started beside the system of now.

A past system is a subvolume that can be written to, made of a way back's. Its entry is an entry
of the machine's own menu with two things exchanged: which subvolume is the root
(``rootflags=subvol=``, btrfs(5)), and, where kernels are in the root, whose kernel is started.
"""

import re

import msgspec

from brave_bridge.core.boot.entries import PAST_ID, BootEntry
from brave_bridge.core.boot.grub_menu import commands_of
from brave_bridge.core.boot.grub_trial import quoted
from brave_bridge.core.boot.keyed_text import with_key_value
from brave_bridge.core.boot.loader_entries import with_options

ASIDE = "aside-"
"""How the id of one begins that a return had set aside; when that was follows."""

PART = "past systems"
"""What our part of the loader's own commands is about."""

_STARTS = re.compile(r"^\s*(linux|linux16|linuxefi)\s")
_LOADS = re.compile(r"^\s*(initrd|initrd16|initrdefi)\s")
_SAVES = re.compile(r"^\s*(savedefault|save_env|recordfail)\b")
_SUBVOLUME = re.compile(r"subvol=[^\s,]*")
_PLAIN = re.compile(r"[\w./@+:-]+")


class PastSystem(msgspec.Struct, frozen=True, kw_only=True):
    """A past system: its way back, its release, when that was, and its subvolume.

    ``name`` is the subvolume of the system of now, whose place it can take; both are paths from
    the top of the file system. ``kernels`` are the versions whose images it has in its own /boot;
    ``kernel`` the one that ran then. ``running``: the machine runs on it.
    """

    way_back: str
    subvolume: str
    name: str
    release: str = ""
    since: str = ""
    kernel: str = ""
    kernels: tuple[str, ...] = ()
    running: bool = False

    @property
    def was_set_aside(self) -> bool:
        """Whether it is no copy of a way back, but what a return has set aside."""
        return self.way_back.startswith(ASIDE)

    @property
    def entry(self) -> str:
        """The id of its boot entry."""
        return f"{PAST_ID}{self.way_back}"

    @property
    def title(self) -> str:
        """What its boot entry is called."""
        words = f"{self.release or 'The system'} as of {self.since[:10]} ({self.way_back})"
        return re.sub(r"[^\w .,:()+-]", "", words)


def is_past(identifier: str) -> bool:
    """Whether a boot entry's id is that of a past system."""
    return identifier.startswith(PAST_ID)


def template_for(past: PastSystem, entries: tuple[BootEntry, ...]) -> BootEntry | None:
    """The entry of the present menu that its entry is made after; None where none serves.

    One that starts the very kernel serves always. Another one serves where the root holds the
    kernels: it starts with the subvolume's own path.
    """
    plain = [e for e in entries if "recovery" not in e.title.lower() and e.kernel]
    same = next((entry for entry in plain if entry.kernel == past.kernel), None)
    within = next((entry for entry in plain if _is_within(entry.image, past.name)), None)
    if past.kernel in past.kernels and within is not None:
        return same if same is not None and _is_within(same.image, past.name) else within
    return same


def _is_within(image: str, subvolume: str) -> bool:
    return image.startswith(f"/{subvolume}/")


def grub_entry(menu_text: str, past: PastSystem, template: BootEntry) -> str:
    """The entry as GRUB reads it; ValueError where something of it is no plain word."""
    _must_be_plain(past)
    lines = [f"menuentry {quoted(past.title)} --id {past.entry} {{"]
    for line in commands_of(menu_text, template.id):
        if _SAVES.match(line):
            continue
        if _STARTS.match(line):
            lines.append(with_root(_moved(line, past, template), past.subvolume))
        elif _LOADS.match(line):
            lines.append(_moved(line, past, template))
        else:
            lines.append(line)
    return "\n".join((*lines, "}"))


def loader_entry(text: str, past: PastSystem, template: BootEntry) -> str:
    """The entry as a file of the Boot Loader Specification, from its template's text."""
    _must_be_plain(past)
    text = with_options(text, with_root(template.options, past.subvolume))
    return with_key_value(text, "title", past.title)


def with_root(options: str, subvolume: str) -> str:
    """Kernel options with another subvolume as the root."""
    flags = [word for word in options.split() if word.startswith("rootflags=")]
    if not flags:
        return f"{options.rstrip()} rootflags=subvol={subvolume}"
    flag = flags[-1]
    if _SUBVOLUME.search(flag):
        changed = _SUBVOLUME.sub(f"subvol={subvolume}", flag)
    else:
        changed = f"{flag},subvol={subvolume}"
    return options.replace(flag, changed)


def _moved(line: str, past: PastSystem, template: BootEntry) -> str:
    """A line with files of the past system: those of its subvolume and of its kernel."""
    if past.kernel not in past.kernels or not _is_within(template.image, past.name):
        return line
    moved = line.replace(f"/{past.name}/", f"/{past.subvolume}/")
    return moved.replace(template.kernel, past.kernel)


def _must_be_plain(past: PastSystem) -> None:
    for word in (past.subvolume, past.name, past.kernel, past.way_back):
        if not _PLAIN.fullmatch(word):
            raise ValueError(f"no plain name: {word!r}")

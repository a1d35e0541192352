"""The chain from the firmware to the root: what boots next, and by whose word."""

import msgspec

from brave_bridge.core.boot.entries import OWN, Loader, is_trial
from brave_bridge.core.boot.loader_faults import next_entry

FIRMWARE, LOADER, CHOICE, KERNEL, ROOT = "firmware", "boot loader", "entry", "kernel", "root"


class Link(msgspec.Struct, frozen=True):
    """One link: its name, what stands there, by whose word, and what is wrong with it."""

    name: str
    value: str
    because: str = ""
    fault: str = ""


def boot_chain(
    loader: Loader, called: str, firmware: str, starts: str = "", because: str = ""
) -> tuple[Link, ...]:
    """The links in their order; ``firmware`` is ``efi``, ``bios``, ``board`` or empty.

    ``called`` is what people call the loader, ``starts`` the title of what the firmware starts,
    and ``because`` why, where it tells.
    """
    entry = next_entry(loader)
    grave = "; ".join(fault.words for fault in loader.faults if fault.next_boot)
    own = {"efi": "EFI", "bios": "a PC's BIOS", "board": "the board's own"}
    named = own.get(firmware, "not known")
    links = [
        Link(FIRMWARE, f"{named}: {starts}" if starts else named, because),
        Link(LOADER, called, loader.remembers),
    ]
    if entry is None and loader.kind == OWN:
        return tuple(links)
    if entry is None:
        what = loader.default or "not known"
        fault = "the menu has no such entry" if loader.default else "no boot menu was found"
        return (*links, Link(CHOICE, what, fault=fault))
    return (
        *links,
        Link(CHOICE, entry.title, _why(loader, entry.id)),
        Link(KERNEL, entry.kernel or entry.image or "not told", entry.image, grave),
        Link(ROOT, entry.option("root") or "not told", _part(entry.options)),
    )


def _why(loader: Loader, identifier: str) -> str:
    if identifier == loader.once:
        tried = " as a trial" if is_trial(identifier) else ""
        return f"chosen for this boot alone{tried}; then {_title(loader, loader.default)}"
    if loader.once:
        return f"{loader.once} was chosen for one boot, and is not there"
    return "the default"


def _title(loader: Loader, identifier: str) -> str:
    return next((one.title for one in loader.entries if one.id == identifier), identifier)


def _part(options: str) -> str:
    """Which part of a file system is the root, where the options say so."""
    flags = [word for word in options.split() if word.startswith("rootflags=")]
    return flags[-1] if flags else ""

"""Boot entries as data, whichever loader's files they stand in."""

import re

import msgspec

_KERNEL = re.compile(r"vmlinu[xz]-(\S+)$")


class BootEntry(msgspec.Struct, frozen=True):
    """An entry: its title (within a submenu: both, with ``>`` between) and its kernel's version.

    ``id`` is what its loader calls it; ``image``, ``initrds`` and ``options`` are as written
    there; ``where`` is the file that it stands in.
    """

    title: str
    kernel: str
    id: str = ""
    image: str = ""
    initrds: tuple[str, ...] = ()
    options: str = ""
    sort_key: str = ""
    where: str = ""

    def option(self, name: str) -> str:
        """The last value of a kernel option: ``root`` of ``root=UUID=…``; empty without one."""
        values = [
            value
            for word in self.options.split()
            for key, equals, value in (word.partition("="),)
            if key == name and equals
        ]
        return values[-1] if values else ""


class LoaderFault(msgspec.Struct, frozen=True):
    """Something of a loader's files that does not fit: of which ``kind``, in a sentence.

    ``next_boot``: what boots next is touched by it. ``kernel`` is the version concerned.
    """

    kind: str
    words: str
    next_boot: bool = False
    kernel: str = ""


OWN = "own"
"""The kind of a loader that is a part of its system, and has no menu that could be read."""


class Loader(msgspec.Struct, frozen=True):
    """A boot loader and its entries, in its own order.

    ``kind`` is ``grub``, ``systemd-boot``, ``extlinux``, ``board``, ``slots`` (of whole images),
    ``own`` (the system's, which tells nothing), or empty where none is known.
    ``default`` is what it is told to boot, ``once`` what it is told to boot next alone, both as
    it names entries; ``remembers`` is the file in which it keeps that, empty where it cannot.
    ``reads_custom``: the generated menu reads the administrator's own commands. ``tool`` is the
    path of the loader's own program where it is that which writes what boots once.
    """

    kind: str = ""
    entries: tuple[BootEntry, ...] = ()
    default: str = ""
    once: str = ""
    remembers: str = ""
    faults: tuple[LoaderFault, ...] = ()
    reads_custom: bool = False
    tool: str = ""


def kernel_of(path: str) -> str:
    """The version in a kernel image's name; empty where there is none."""
    match = _KERNEL.search(path)
    return match[1] if match else ""


PAST_ID = "brave-bridge-past-"
"""How the ids of the entries of past systems begin; the way back's id follows."""


def entry_for(entries: list[BootEntry], kernel: str) -> str:
    """The title of the first entry that boots a kernel version, recovery entries last."""
    fitting = [e.title for e in entries if e.kernel == kernel and not e.id.startswith(PAST_ID)]
    return min(fitting, key=lambda title: "recovery" in title.lower(), default="")

"""The table of file systems that shall be mounted (fstab(5))."""

import msgspec

from brave_bridge.core.formats.proc import unescaped


class ExpectedMount(msgspec.Struct, frozen=True):
    """A file system that the table names; ``at_boot`` is false for noauto ones."""

    path: str
    device: str
    type: str
    at_boot: bool = True


def read_fstab(text: str) -> list[ExpectedMount]:
    """Its entries that have a place to be mounted at; swap and damaged lines are passed over."""
    found = []
    for line in text.splitlines():
        words = line.split("#")[0].split() if line.lstrip().startswith("#") else line.split()
        if len(words) < 3 or not words[1].startswith("/"):
            continue
        options = words[3].split(",") if len(words) > 3 else []
        at_boot = "noauto" not in options
        found.append(ExpectedMount(unescaped(words[1]), words[0], words[2], at_boot))
    return found

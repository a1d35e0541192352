"""Entries in files of their own: the Boot Loader Specification, type 1, with boot counting.

The name of a file is ``ID.conf``, or ``ID+LEFT-DONE.conf`` while the entry is on trial
(systemd's Automatic Boot Assessment): the loader takes one from ``LEFT`` at each try, and
an entry with none left goes behind all others.
"""

import re
from collections.abc import Iterable

import msgspec

from brave_bridge.core.boot.entries import BootEntry, kernel_of
from brave_bridge.core.boot.keyed_text import keyed_lines, with_key_value, with_line_value
from brave_bridge.core.versions.deb import version_key

_COUNTED = re.compile(r"^(.*)\+(\d{1,5})(?:-(\d{1,5}))?$")


class Tries(msgspec.Struct, frozen=True):
    """The tries of an entry: how many are left, how many were made."""

    left: int
    done: int = 0


def read_loader_entry(text: str, path: str = "") -> BootEntry | None:
    """The entry of the file at that path; None where nothing is booted by it."""
    values: dict[str, list[str]] = {}
    for line in keyed_lines(text):
        values.setdefault(line.key, []).append(line.value)
    image = _last(values, "linux") or _last(values, "efi")
    if not image:
        return None
    kernel = _last(values, "version") or kernel_of(image)
    return BootEntry(
        _last(values, "title") or kernel,
        kernel,
        id=plain_name(path.rpartition("/")[2]),
        image=image,
        initrds=tuple(word for value in values.get("initrd", ()) for word in value.split()),
        options=" ".join(values.get("options", ())),
        sort_key=_last(values, "sort-key"),
        where=path,
    )


def _last(values: dict[str, list[str]], key: str) -> str:
    return values.get(key, [""])[-1]


def with_options(text: str, options: str) -> str:
    """The text with other kernel options: all on the first line that has some."""
    lines = [line for line in keyed_lines(text) if line.key == "options"]
    if not lines:
        return with_key_value(text, "options", options)
    text = with_line_value(text, lines[0].number, options)
    rows = text.split("\n")
    for line in reversed(lines[1:]):
        del rows[line.number]
    return "\n".join(rows)


def plain_name(name: str) -> str:
    """The name of an entry's file without its tries: what the loader calls the entry."""
    stem, tries = _parted(name)
    return f"{stem}.conf" if tries else name


def tries_in(name: str) -> Tries | None:
    """The tries in the name of an entry's file; None where it is not on trial."""
    return _parted(name)[1]


def counted_name(name: str, tries: Tries) -> str:
    """The name of an entry's file that is on trial."""
    stem = _parted(name)[0]
    done = f"-{tries.done}" if tries.done else ""
    return f"{stem}+{tries.left}{done}.conf"


def in_menu_order(entries: Iterable[BootEntry]) -> tuple[BootEntry, ...]:
    """The entries as the loader lists them: those without tries left last, the newest first.

    By sort key where they have one, then by version (UAPI.1, "Sorting"), then by name.
    """

    def place(entry: BootEntry) -> tuple[bool, bool, str]:
        tries = tries_in(entry.where.rpartition("/")[2])
        exhausted = tries is not None and not tries.left
        return exhausted, not entry.sort_key, entry.sort_key

    newest_first = sorted(
        entries, key=lambda entry: (version_key(entry.kernel), entry.id), reverse=True
    )
    return tuple(sorted(newest_first, key=place))


def _parted(name: str) -> tuple[str, Tries | None]:
    stem = name.removesuffix(".conf")
    match = _COUNTED.match(stem)
    if match is None:
        return stem, None
    return match[1], Tries(int(match[2]), int(match[3] or 0))

"""Menus of the extlinux kind, as U-Boot and SYSLINUX read them; text in, text out.

Keywords are not case-sensitive; what stands before the first LABEL is for all.
"""

import re

import msgspec

from brave_bridge.core.boot.entries import BootEntry, kernel_of
from brave_bridge.core.boot.keyed_text import KeyedLine, keyed_lines, with_line_value

_IMAGE = ("linux", "kernel")


class ExtlinuxMenu(msgspec.Struct, frozen=True):
    """What a menu offers; ``default`` is the label that it boots, empty for the first one."""

    entries: tuple[BootEntry, ...] = ()
    default: str = ""


def read_extlinux(text: str) -> ExtlinuxMenu:
    """The entries of a menu in their order, and its default."""
    default, entries = "", []
    for lines in _labelled(text):
        if lines[0].key.lower() == "label":
            if entry := _entry(lines):
                entries.append(entry)
        else:
            default = _last(lines, "default") or default
    return ExtlinuxMenu(tuple(entries), default)


def _labelled(text: str) -> list[list[KeyedLine]]:
    """The lines in groups, each of which begins with its LABEL, but for those before the first."""
    groups: list[list[KeyedLine]] = []
    for line in keyed_lines(text):
        if line.key.lower() == "label" or not groups:
            groups.append([])
        groups[-1].append(line)
    return groups


def _entry(lines: list[KeyedLine]) -> BootEntry | None:
    label, image = lines[0].value, next((v for k in _IMAGE if (v := _last(lines, k))), "")
    if not image:
        return None
    titles = (re.match(r"(?i)label\s+(.*)", v) for k, v in _pairs(lines) if k == "menu")
    title = next((match[1].replace("^", "") for match in titles if match), label)
    return BootEntry(
        title,
        kernel_of(image),
        id=label,
        image=image,
        initrds=tuple(_last(lines, "initrd").split(",")) if _last(lines, "initrd") else (),
        options=_last(lines, "append"),
    )


def _pairs(lines: list[KeyedLine]) -> list[tuple[str, str]]:
    return [(line.key.lower(), line.value) for line in lines]


def _last(lines: list[KeyedLine], key: str) -> str:
    return next((value for name, value in reversed(_pairs(lines)) if name == key), "")


def with_default(text: str, label: str) -> str:
    """The text with another default: in the place of the present one, else before all else."""
    if not any(entry.id == label for entry in read_extlinux(text).entries):
        raise ValueError(f"no entry is called {label!r}")
    lines = [line for line in keyed_lines(text) if line.key.lower() == "default"]
    if lines:
        return with_line_value(text, lines[-1].number, label)
    return f"default {label}\n{text}"

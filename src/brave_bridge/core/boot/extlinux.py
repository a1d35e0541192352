"""Menus of the extlinux kind, as U-Boot and SYSLINUX read them; text in, text out.

Keywords are not case-sensitive. What stands before the first LABEL is for all, but for DEFAULT:
the last one holds, wherever it stands (SYSLINUX, ``doc/syslinux.txt``).
"""

import re
from collections.abc import Mapping, Sequence

import msgspec

from brave_bridge.core.boot.entries import BootEntry, kernel_of
from brave_bridge.core.boot.keyed_text import KeyedLine, keyed_lines, with_line_value

FOLDER = "/boot/extlinux"
MENU = f"{FOLDER}/extlinux.conf"
_IMAGE = ("linux", "kernel")
_MOST_INCLUDED = 64
_IS_MENU = re.compile(r"(?i)\S+\.(c32|com)$")
"""A module of SYSLINUX that shows a menu, and is no entry itself."""


class ExtlinuxMenu(msgspec.Struct, frozen=True):
    """What a menu offers; ``default`` is the label that it boots, empty for the first one."""

    entries: tuple[BootEntry, ...] = ()
    default: str = ""


def read_extlinux(text: str, others: Mapping[str, str] = {}) -> ExtlinuxMenu:
    """The entries of a menu in their order, and its default.

    ``others`` are the texts of files beside it, by their paths, which it may include.
    """
    lines = list(keyed_lines(_with_included(text, others)))
    groups = _labelled(lines)
    common = [] if not groups or _is_label(groups[0]) else groups[0]
    found = [(entry, _is_default(group)) for group in groups if (entry := _entry(group, common))]
    named = _last(lines, "default")
    if _last(lines, "ui") or _IS_MENU.match(named):
        by_menu = next((entry.id for entry, is_default in found if is_default), "")
        named = by_menu or ("" if _IS_MENU.match(named) else named)
    return ExtlinuxMenu(tuple(entry for entry, _ in found), named)


def _with_included(text: str, others: Mapping[str, str]) -> str:
    """The text with what it includes in the place of the lines that include it, so many times."""
    pending, made, left = text.split("\n")[::-1], [], _MOST_INCLUDED
    while pending:
        line = pending.pop()
        there = others.get(_included(line), "")
        if there and left:
            left -= 1
            pending += there.split("\n")[::-1]
        else:
            made.append(line)
    return "\n".join(made)


def _included(line: str) -> str:
    """The path that a line includes; empty where it does something else."""
    words = line.split()
    if words and words[0].lower() == "menu":
        words = words[1:]
    if len(words) < 2 or words[0].lower() != "include":
        return ""
    return words[1] if words[1].startswith("/") else f"{FOLDER}/{words[1]}"


def _labelled(lines: list[KeyedLine]) -> list[list[KeyedLine]]:
    """The lines in groups, each of which begins with its LABEL, but for those before the first."""
    groups: list[list[KeyedLine]] = []
    for line in lines:
        if line.key.lower() == "label" or not groups:
            groups.append([])
        groups[-1].append(line)
    return groups


def _is_label(lines: Sequence[KeyedLine]) -> bool:
    return lines[0].key.lower() == "label"


def _is_default(lines: Sequence[KeyedLine]) -> bool:
    return any(key == "menu" and value.lower() == "default" for key, value in _pairs(lines))


def _entry(lines: Sequence[KeyedLine], common: Sequence[KeyedLine] = ()) -> BootEntry | None:
    label, image = lines[0].value, next((v for k in _IMAGE if (v := _last(lines, k))), "")
    if not image or not _is_label(lines):
        return None
    titles = (re.match(r"(?i)label\s+(.*)", v) for k, v in _pairs(lines) if k == "menu")
    title = next((match[1].replace("^", "") for match in titles if match), label)
    options = _last(lines, "append") or _last(common, "append")
    return BootEntry(
        title,
        kernel_of(image),
        id=label,
        image=image,
        initrds=tuple(_last(lines, "initrd").split(",")) if _last(lines, "initrd") else (),
        options="" if options == "-" else options,
    )


def _pairs(lines: Sequence[KeyedLine]) -> list[tuple[str, str]]:
    return [(line.key.lower(), line.value) for line in lines]


def _last(lines: Sequence[KeyedLine], key: str) -> str:
    return next((value for name, value in reversed(_pairs(lines)) if name == key), "")


def with_default(text: str, label: str, others: Mapping[str, str] = {}) -> str:
    """The text with another default: in the place of the present one, else before all else.

    ValueError where no entry is called so, or the menu has a default that this does not change.
    """
    if not any(entry.id == label for entry in read_extlinux(text, others).entries):
        raise ValueError(f"no entry is called {label!r}")
    lines = [line for line in keyed_lines(text) if line.key.lower() == "default"]
    changed = (
        with_line_value(text, lines[-1].number, label) if lines else f"default {label}\n{text}"
    )
    if (other := read_extlinux(changed, others).default) != label:
        raise ValueError(f"the menu has {other!r} as its default by another word")
    return changed

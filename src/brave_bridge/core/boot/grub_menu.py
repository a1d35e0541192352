"""GRUB's generated menu (grub.cfg), read only: it is made anew by its own program.

An entry is known by its id (``--id``, or ``$menuentry_id_option``), within a submenu by the ids
of both with ``>`` between, as GRUB's ``default`` and ``next_entry`` name it.
"""

import re
from collections.abc import Iterator
from itertools import pairwise

import msgspec

from brave_bridge.core.boot.entries import BootEntry, kernel_of

_MOST = 500
_OPENING = re.compile(r"^\s*(menuentry|submenu)\s")
_WORD = re.compile(
    r"""\s*((?:[^\s'"\\{}]|\\.|'[^']*'|"(?:[^"\\]|\\.)*"|\$\{\w+\})+|[{}])""", re.DOTALL
)
_COMMAND = re.compile(r"^\s*(linux|linux16|linuxefi|initrd|initrd16|initrdefi)\s+(.*)$")
_DEFAULT = re.compile(r"""^\s*set\s+default=(?:"([^"]*)"|'([^']*)'|(\S*))\s*$""")
_ID_OPTIONS = ("--id", "$menuentry_id_option", "${menuentry_id_option}")


class GrubMenu(msgspec.Struct, frozen=True):
    """What a menu offers, and how it chooses.

    ``default`` is what it boots where its environment says nothing: a number, title or id, or
    ``saved`` where it takes ``saved_entry``. ``knows_once``: it honours ``next_entry`` and takes
    it away before it boots.
    """

    entries: tuple[BootEntry, ...] = ()
    default: str = "0"
    knows_once: bool = False


def read_grub_menu(text: str) -> GrubMenu:
    """The entries of a menu in their order, and its default."""
    defaults = defaults_in(text)
    plain = [value for value in defaults if "$" not in value]
    saved = any("saved_entry" in value for value in defaults)
    return GrubMenu(
        entries=tuple(_entries(text)),
        default="saved" if saved else (plain[-1] if plain else "0"),
        knows_once="next_entry" in text and "save_env next_entry" in text,
    )


def defaults_in(text: str) -> list[str]:
    """What the commands of a menu set ``default`` to, in their order, as written."""
    found = (_DEFAULT.match(line) for line in text.split("\n"))
    return [next(filter(None, match.groups()), "") for match in found if match]


class _Open:
    """A menu entry or submenu whose end has not come yet."""

    def __init__(self, words: list[str], depth: int) -> None:
        self.is_submenu = words[0] == "submenu"
        self.title = _unquoted(words[1]) if len(words) > 1 else ""
        self.id = _id_of(words)
        self.depth = depth
        self.image = self.options = ""
        self.initrds: tuple[str, ...] = ()
        self.lines: list[str] = []


def _entries(text: str) -> Iterator[BootEntry]:
    for within, ended in _ended(text):
        yield _entry(within, ended)


def commands_of(text: str, identifier: str) -> list[str]:
    """The commands of an entry as they stand in a menu; ValueError where it has none such."""
    for within, ended in _ended(text):
        if _entry(within, ended).id == identifier:
            return ended.lines
    raise ValueError(f"the menu has no entry {identifier!r}")


def _ended(text: str) -> Iterator[tuple[list[_Open], _Open]]:
    """Each entry at its end, with the submenus that it stands in."""
    depth, count = 0, 0
    open_ones: list[_Open] = []
    for line in text.split("\n"):
        words = _words(line)
        depth_before = depth
        depth += words.count("{") - words.count("}")
        if _OPENING.match(line):
            open_ones.append(_Open(words, depth_before))
        elif open_ones and depth > open_ones[-1].depth:
            open_ones[-1].lines.append(line)
            if match := _COMMAND.match(line):
                _take_up(open_ones[-1], match[1], _words(match[2]))
        while open_ones and depth <= open_ones[-1].depth and "}" in words:
            ended = open_ones.pop()
            if not ended.is_submenu and count < _MOST:
                count += 1
                yield open_ones, ended


def _take_up(entry: _Open, command: str, words: list[str]) -> None:
    values = [_unquoted(word) for word in words]
    if command.startswith("linux") and values and not entry.image:
        entry.image, entry.options = values[0], " ".join(values[1:])
    elif command.startswith("initrd"):
        entry.initrds = tuple(values)


def _entry(within: list[_Open], entry: _Open) -> BootEntry:
    path = [*within, entry]
    return BootEntry(
        " > ".join(one.title for one in path),
        kernel_of(entry.image),
        id=">".join(one.id or one.title for one in path),
        image=entry.image,
        initrds=entry.initrds,
        options=entry.options,
    )


def _words(line: str) -> list[str]:
    """The words of a line, its quotes kept; what is behind a ``#`` is none."""
    if line.lstrip().startswith("#"):
        return []
    found = []
    for match in _WORD.finditer(line):
        if match[1].startswith("#"):
            break
        found.append(match[1])
    return found


def _unquoted(word: str) -> str:
    """The word as GRUB has it, without its quotes; variables stay as they are written."""
    parts = re.findall(r"""'[^']*'|"(?:[^"\\]|\\.)*"|\\.|[^'"\\]+""", word, re.DOTALL)
    return "".join(
        part[1:-1]
        if part[0] == "'" or (part[0] == '"' and len(part) > 1)
        else (part[1:] if part[0] == "\\" else part)
        for part in parts
    )


def _id_of(words: list[str]) -> str:
    for option, value in pairwise(words):
        if option in _ID_OPTIONS:
            return _unquoted(value)
        if option.startswith("--id="):
            return _unquoted(option.removeprefix("--id="))
    return ""


def found_by(menu: GrubMenu, choice: str) -> BootEntry | None:
    """The entry that a number, title or id names (with ``>`` between those of submenus)."""
    for entry in menu.entries:
        if choice in (entry.id, entry.title, entry.title.replace(" > ", ">")):
            return entry
    if choice.isdigit():
        top = _top_level(menu)
        return top[int(choice)] if int(choice) < len(top) else None
    return None


def _top_level(menu: GrubMenu) -> list[BootEntry | None]:
    """What each number on the first level starts; None for a submenu, which starts its first."""
    found: list[BootEntry | None] = []
    last = ""
    for entry in menu.entries:
        head, within, _ = entry.title.partition(" > ")
        if not within or head != last:
            found.append(entry)
        last = head if within else ""
    return found

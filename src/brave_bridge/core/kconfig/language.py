"""Reading Kconfig files: every option with its words, its conditions and its place in the menus.

Follows the kernel's Documentation/kbuild/kconfig-language.rst and kconfig-macro-language.rst.
Values are worked out by the tree's own make; what is read here explains them.
"""

import re
from collections.abc import Mapping

import msgspec

TYPES = ("bool", "tristate", "string", "hex", "int")
MOST_FILES = 8_000
LARGEST_FILE = 2_000_000
_DEEPEST = 40
_QUOTED = re.compile(r"\"((?:[^\"\\]|\\.)*)\"|'([^']*)'")
_VARIABLE = re.compile(r"\$\((\w+)\)|\$\{?(\w+)\}?")
_ASSIGNMENT = re.compile(r"[\w\-]+\s*[:+]?=")
_SOURCES = ("source", "rsource", "osource", "orsource")


class Option(msgspec.Struct):
    """One option. ``depends`` are conditions that must all hold, one for each place of its own;
    ``menu`` are the titles above it, outermost first; ``where`` is file and line.
    """

    name: str
    kind: str = ""
    prompt: str = ""
    help: str = ""
    depends: list[str] = []
    selects: list[str] = []
    defaults: list[str] = []
    menu: tuple[str, ...] = ()
    where: str = ""


class Kconfig:
    """The options of a tree, read from its files in rounds.

    ``variables`` are what ``$(NAME)`` stands for. ``missing`` are the files that are still to be
    given; ``give`` them, None for one that is not there, until none is missing.
    """

    def __init__(self, root: str, variables: Mapping[str, str]) -> None:
        self._root = root
        self._variables = dict(variables)
        self._texts: dict[str, str | None] = {}
        self.options: dict[str, Option] = {}
        self.missing: list[str] = [root]
        self.faults: list[str] = []

    def give(self, texts: Mapping[str, str | None]) -> None:
        """Take in files, and see which others they name."""
        self._texts |= texts
        if len(self._texts) > MOST_FILES:
            self.faults.append(f"more than {MOST_FILES} files")
            self.missing = []
            return
        self.options, self.faults = {}, []
        wanted: dict[str, None] = {}
        _File(self, self._root, wanted).read((), (), 0)
        self.missing = [path for path in wanted if path not in self._texts]

    def text_of(self, path: str) -> str | None:
        """A file that was given."""
        return self._texts.get(path)

    def expanded(self, text: str) -> str:
        """A text with its variables in place; a macro that is none stays as it is."""

        def value(match: re.Match[str]) -> str:
            return self._variables.get(match[1] or match[2], match[0])

        return _VARIABLE.sub(value, text)


class _File:
    """One file being read into the options of a tree."""

    def __init__(self, tree: Kconfig, path: str, wanted: dict[str, None]) -> None:
        self.tree = tree
        self.path = path
        self.wanted = wanted
        self.lines: list[tuple[int, str]] = []
        self.at = 0

    def read(self, menu: tuple[str, ...], depends: tuple[str, ...], depth: int) -> None:
        """Read all of the file, whose entries stand in a menu and under conditions."""
        self.wanted[self.path] = None
        text = self.tree.text_of(self.path)
        if text is None or depth > _DEEPEST:
            return
        self.lines = _joined(text)
        self._block(menu, depends, (), depth)

    def _block(
        self, menu: tuple[str, ...], depends: tuple[str, ...], ends: tuple[str, ...], depth: int
    ) -> None:
        """Read entries until one of the words ``ends``, or the end of the file."""
        while self.at < len(self.lines):
            number, line = self.lines[self.at]
            word, *others = line.split(maxsplit=1)[:2] or [""]
            rest = others[0].strip() if others else ""
            self.at += 1
            if word in ends:
                return
            if word in ("config", "menuconfig") and rest:
                self._option(rest.split()[0], number, menu, depends)
            elif word == "if":
                self._block(menu, (*depends, _without_comment(rest)), ("endif",), depth)
            elif word in ("menu", "choice"):
                entry = self._attributes(Option(rest))
                title = entry.prompt or _text(rest)
                inner = (*menu, title) if title else menu
                self._block(inner, (*depends, *entry.depends), (f"end{word}",), depth)
            elif word == "comment":
                self._attributes(Option(rest))
            elif word in _SOURCES:
                self._source(word, rest, menu, depends, depth)

    def _source(
        self, word: str, rest: str, menu: tuple[str, ...], depends: tuple[str, ...], depth: int
    ) -> None:
        path = self.tree.expanded(_text(rest) or rest)
        if word in ("rsource", "orsource"):
            path = f"{self.path.rpartition('/')[0]}/{path}".lstrip("/")
        if "$" in path or path.startswith("/") or ".." in path.split("/"):
            self.tree.faults.append(f"{self.path}: {rest} is not followed")
            return
        _File(self.tree, path, self.wanted).read(menu, depends, depth + 1)

    def _option(
        self, name: str, number: int, menu: tuple[str, ...], depends: tuple[str, ...]
    ) -> None:
        entry = self._attributes(Option(name, menu=menu, where=f"{self.path}:{number}"))
        all_of = (" ".join(text.split()) for text in (*depends, *entry.depends))
        condition = " && ".join(f"({text})" for text in all_of)
        known = self.tree.options.get(name)
        if known is None:
            entry.depends = [condition] if condition else []
            self.tree.options[name] = entry
            return
        # One option in several places: the words of the first that has some, any condition.
        for field in ("kind", "prompt", "help"):
            if not getattr(known, field):
                setattr(known, field, getattr(entry, field))
        known.depends = [*known.depends, condition] if condition and known.depends else []
        known.selects += entry.selects
        known.defaults += entry.defaults

    def _attributes(self, entry: Option) -> Option:
        """The attributes below an entry's first line."""
        while self.at < len(self.lines):
            _, line = self.lines[self.at]
            stripped = line.strip()
            if not stripped or stripped.startswith("#"):
                self.at += 1
                continue
            word = re.split(r"[\s\"]", stripped, maxsplit=1)[0]
            rest = stripped[len(word) :].strip()
            if word in ("help", "---help---"):
                self.at += 1
                text = self._help()
                entry.help = entry.help or text
                continue
            if not _take(entry, word, _without_comment(rest)):
                return entry
            self.at += 1
        return entry

    def _help(self) -> str:
        """The lines below ``help`` that are indented as its first one is, or deeper."""
        kept: list[str] = []
        indent = None
        while self.at < len(self.lines):
            _, line = self.lines[self.at]
            plain = line.expandtabs()
            if plain.strip():
                width = len(plain) - len(plain.lstrip())
                indent = width if indent is None else indent
                if width < indent or width == 0:
                    break
                kept.append(plain[indent:].rstrip())
            elif indent is not None:
                kept.append("")
            self.at += 1
        return "\n".join(kept).strip()


def _take(entry: Option, word: str, rest: str) -> bool:
    """Take an attribute in; whether the line was one."""
    if word in TYPES or word == "prompt":
        entry.kind = word if word in TYPES else entry.kind
        entry.prompt = _text(rest) or entry.prompt
    elif word in ("def_bool", "def_tristate"):
        entry.kind = word.removeprefix("def_")
        entry.defaults.append(rest)
    elif word == "default":
        entry.defaults.append(rest)
    elif word == "depends":
        entry.depends.append(rest.removeprefix("on").strip())
    elif word in ("select", "imply"):
        if word == "select":
            entry.selects.append(rest)
    elif word not in ("range", "option", "modules", "visible", "optional", "transitional"):
        return False
    return True


def _text(rest: str) -> str:
    """The quoted text that a line begins with."""
    match = _QUOTED.match(rest)
    return (match[1] if match[1] is not None else match[2]) if match else ""


def _without_comment(text: str) -> str:
    """A line without what stands behind a ``#`` outside of quotes."""
    quote = ""
    for at, letter in enumerate(text):
        if quote:
            quote = "" if letter == quote else quote
        elif letter in "\"'":
            quote = letter
        elif letter == "#":
            return text[:at].strip()
    return text.strip()


def _joined(text: str) -> list[tuple[int, str]]:
    """The lines with their numbers, those that end in a backslash joined to the next."""
    found: list[tuple[int, str]] = []
    begun, number_of = "", 0
    for number, line in enumerate(text.splitlines(), start=1):
        number_of = number_of or number
        if line.endswith("\\"):
            begun += line[:-1] + " "
            continue
        whole = begun + line
        if begun or not _ASSIGNMENT.match(line):
            found.append((number_of, whole))
        begun, number_of = "", 0
    if begun:
        found.append((number_of, begun))
    return found

"""Package sources (sources.list(5)) in both notations, read and rewritten without loss.

Rewriting touches only the words that change: comments, spacing, disabled entries and
the order of everything stay as the administrator left them.
"""

import re
from collections.abc import Callable

import msgspec

from brave_bridge.core.formats.addresses import parts_of

_ONE_LINE = re.compile(
    r"^(?P<lead>\s*(?P<type>deb|deb-src)\s+)(?P<options>\[[^\]]*\]\s+)?(?P<rest>\S.*)$"
)
_KEY, _LONGEST_KEY = "BEGIN PGP", 200_000
_WORD = re.compile(r"(?:[^\s\[]|\[[^\]]*\]?)+")
"""Blanks may stand within brackets: a disc is named so (sources.list(5))."""

_FETCHED = (
    "http:",
    "https:",
    "file:",
    "copy:",
    "mirror:",
    "mirror+http:",
    "mirror+https:",
    "mirror+file:",
    "tor+http:",
    "tor+https:",
)
_FIELD = re.compile(r"^(?P<name>[A-Za-z][A-Za-z0-9-]*)[ \t]*:(?P<value>.*)$")


class SourceFile(msgspec.Struct, frozen=True):
    """A file of package sources: its path on the machine and its text."""

    path: str
    text: str

    @property
    def is_deb822(self) -> bool:
        """Whether its name says that it is in the stanza notation."""
        return self.path.endswith(".sources")


class SourceEntry(msgspec.Struct, frozen=True):
    """One active source: what is fetched from where, and the lines that say so (from 1)."""

    path: str
    line: int
    types: tuple[str, ...]
    uris: tuple[str, ...]
    suites: tuple[str, ...]
    components: tuple[str, ...]
    options: dict[str, str]

    @property
    def trusted_without_signature(self) -> bool:
        """Whether signatures are switched off for it."""
        return self.options.get("trusted", "").lower() in ("yes", "true", "1")


def can_be_fetched(uri: str) -> bool:
    """Whether an address is of a kind that we fetch; discs and made-up transports are not."""
    return uri.startswith(_FETCHED)


def key_paths(entry: SourceEntry) -> tuple[str, ...]:
    """The key files that a source's Signed-By names; none where it holds the key itself."""
    value = entry.options.get("signed-by", "")
    if _KEY in value:
        return ()
    return tuple(word for word in value.replace(",", " ").split() if word.startswith("/"))


class Renaming(msgspec.Struct, frozen=True):
    """What a leg changes in a source's words.

    ``suites`` maps a present suite to its successor; ``components`` lists, for a
    component that was split, what has to stand beside it; ``component`` maps one to another in
    its place; ``uris`` maps the address of an archive to that of the one that has the new
    release.
    """

    suites: Callable[[str], str] = str
    components: Callable[[tuple[str, ...]], tuple[str, ...]] = tuple
    component: Callable[[str], str] = str
    uris: Callable[[str], str] = str


def entries(file: SourceFile) -> list[SourceEntry]:
    """The active entries of a file, in order; malformed lines are passed over."""
    return _stanza_entries(file) if file.is_deb822 else _line_entries(file)


def _line_entries(file: SourceFile) -> list[SourceEntry]:
    found = []
    for number, line in enumerate(file.text.splitlines(), start=1):
        match = _ONE_LINE.match(line.split("#", 1)[0])
        words = _WORD.findall(match["rest"]) if match else []
        if match is None or len(words) < 2:
            continue
        found.append(
            SourceEntry(
                path=file.path,
                line=number,
                types=(match["type"],),
                uris=(words[0],),
                suites=(words[1],),
                components=tuple(words[2:]),
                options=_line_options(match["options"] or ""),
            )
        )
    return found


def _line_options(text: str) -> dict[str, str]:
    options = {}
    for word in text.strip().strip("[]").split():
        name, equals, value = word.partition("=")
        if equals:
            options[name.rstrip("+-").lower()] = value
    return options


class _Field(msgspec.Struct):
    """A field of a stanza and the lines (from 0) that its value covers."""

    name: str
    first: int
    last: int
    words: list[str]


def _stanza_fields(lines: list[str]) -> list[list[_Field]]:
    stanzas: list[list[_Field]] = [[]]
    for number, line in enumerate(lines):
        if not line.strip():
            stanzas.append([])
        elif line.startswith("#"):
            continue
        elif line[0] in " \t":
            if stanzas[-1]:
                stanzas[-1][-1].last = number
                stanzas[-1][-1].words += line.split()
        elif match := _FIELD.match(line):
            stanzas[-1].append(
                _Field(match["name"].lower(), number, number, match["value"].split())
            )
    return [fields for fields in stanzas if fields]


def _is_active(fields: list[_Field]) -> bool:
    enabled = next((field.words for field in fields if field.name == "enabled"), ["yes"])
    return [word.lower() for word in enabled] not in (["no"], ["false"], ["0"])


def _stanza_entries(file: SourceFile) -> list[SourceEntry]:
    found = []
    lines = file.text.splitlines()
    for fields in _stanza_fields(lines):
        words = {field.name: tuple(field.words) for field in fields}
        if not _is_active(fields) or not words.get("uris") or not words.get("suites"):
            continue
        known = ("types", "uris", "suites", "components", "enabled")
        found.append(
            SourceEntry(
                path=file.path,
                line=fields[0].first + 1,
                types=words.get("types", ("deb",)),
                uris=words["uris"],
                suites=words["suites"],
                components=words.get("components", ()),
                options={
                    field.name: _option(field, lines) for field in fields if field.name not in known
                },
            )
        )
    return found


def _option(field: "_Field", lines: list[str]) -> str:
    """An option's words; a key that stands in the source keeps its lines."""
    words = " ".join(field.words)
    if _KEY not in words:
        return words[:200]
    text = lines[field.first : field.last + 1]
    return "\n".join([text[0].partition(":")[2], *text[1:]])[:_LONGEST_KEY]


def renamed(
    file: SourceFile, renaming: Renaming, only: Callable[[SourceEntry], bool]
) -> SourceFile:
    """The file with suites and components renamed in the active entries that ``only`` admits."""
    rewrite = _renamed_stanzas if file.is_deb822 else _renamed_lines
    return SourceFile(file.path, rewrite(file, renaming, only))


def _renamed_lines(
    file: SourceFile, renaming: Renaming, only: Callable[[SourceEntry], bool]
) -> str:
    admitted = {entry.line for entry in _line_entries(file) if only(entry)}
    lines = file.text.splitlines(keepends=True)
    for number in admitted:
        line = lines[number - 1]
        body, hash_sign, comment = line.partition("#")
        match = _ONE_LINE.match(body)
        if match is None:
            continue
        lines[number - 1] = _renamed_line(body, match.start("rest"), renaming) + hash_sign + comment
    return "".join(lines)


def _renamed_line(body: str, start: int, renaming: Renaming) -> str:
    words = list(_WORD.finditer(body, start))
    uri, suite, components = words[0], words[1], words[2:]
    old = tuple(word.group() for word in components)
    added = [word for word in renaming.components(old) if word not in old]
    end = (components or [suite])[-1].end()
    extra = "".join(" " + word for word in added)
    return (
        body[: uri.start()]
        + renaming.uris(uri.group())
        + body[uri.end() : suite.start()]
        + renaming.suites(suite.group())
        + _WORD.sub(lambda word: renaming.component(word.group()), body[suite.end() : end])
        + extra
        + body[end:]
    )


def _renamed_stanzas(
    file: SourceFile, renaming: Renaming, only: Callable[[SourceEntry], bool]
) -> str:
    admitted = {entry.line for entry in _stanza_entries(file) if only(entry)}
    lines = file.text.splitlines(keepends=True)
    for fields in _stanza_fields(file.text.splitlines()):
        if fields[0].first + 1 not in admitted:
            continue
        for field in fields:
            if field.name == "suites":
                _rename_words(lines, field, renaming.suites)
            elif field.name == "uris":
                _rename_words(lines, field, renaming.uris)
            elif field.name == "components":
                added = [
                    word
                    for word in renaming.components(tuple(field.words))
                    if word not in field.words
                ]
                _rename_words(lines, field, renaming.component)
                _append_words(lines, field, added)
    return "".join(lines)


def _rename_words(lines: list[str], field: _Field, rename: Callable[[str], str]) -> None:
    for number in range(field.first, field.last + 1):
        line = lines[number]
        if line.startswith("#"):
            continue
        head, rest = "", line
        if number == field.first:
            name, colon, rest = line.partition(":")
            head = name + colon
        lines[number] = head + _WORD.sub(lambda word: rename(word.group()), rest)


def _append_words(lines: list[str], field: _Field, added: list[str]) -> None:
    if added:
        line = lines[field.last]
        body = line.rstrip("\n")
        lines[field.last] = (
            body.rstrip() + "".join(" " + word for word in added) + line[len(body) :]
        )


def index_stem(uri: str, suite: str) -> str:
    """The beginning of the names under which apt keeps a suite's indices."""
    parts = parts_of(uri.rstrip("/"))
    place = (parts.place + parts.path).replace("_", "%5f").replace("/", "_")
    return f"{place}_dists_{suite.replace('_', '%5f').replace('/', '_')}_"

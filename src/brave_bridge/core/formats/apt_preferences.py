"""Pins: which source's version apt prefers (apt_preferences(5))."""

from fnmatch import fnmatchcase

import msgspec

from brave_bridge.core.formats.deb822 import FormatError, stanzas


class Pin(msgspec.Struct, frozen=True):
    """One pin: the packages it is for (patterns), what it selects, its priority."""

    path: str
    packages: str
    selects: str
    priority: int
    line: int = 0
    """Where it stands in the file, counted from 1; 0 where that is not known."""

    @property
    def where(self) -> str:
        """File and line."""
        return f"{self.path}:{self.line}" if self.line else self.path

    @property
    def is_for_a_version(self) -> bool:
        """Whether it selects one version of a package, wherever that is from."""
        return self.kind == "version"

    @property
    def kind(self) -> str:
        """What it selects by: ``release``, ``version`` or ``origin``."""
        return self.selects.strip().partition(" ")[0]

    @property
    def value(self) -> str:
        """What stands behind the kind."""
        return self.selects.strip().partition(" ")[2].strip()

    @property
    def conditions(self) -> tuple[tuple[str, str], ...]:
        """What an archive must all say of itself, each a field's letter and a pattern.

        A word alone, which names a release in any way, has no letter; other kinds have none.
        """
        if self.kind != "release":
            return ()
        if "=" not in self.value:
            return (("", self.value),)
        words = (word.partition("=") for word in self.value.split(","))
        return tuple((letter.strip(), value.strip().strip('"')) for letter, _, value in words)

    def names(self, release: str) -> bool:
        """Whether it selects a release by this codename, suite or version."""
        return bool(release) and any(
            letter in ("a", "n", "v") and _is_of(release, value) if letter else value == release
            for letter, value in self.conditions
        )

    @property
    def is_general(self) -> bool:
        """Whether it is for every package."""
        return self.packages.strip() == "*"


def read_pins(text: str, path: str) -> list[Pin]:
    """The pins of a preferences file; stanzas that are none are passed over."""
    found: list[Pin] = []
    line = 0
    try:
        for fields in stanzas(text, where=path):
            digits = fields.get("Pin-Priority", "").removeprefix("-")
            if {"Package", "Pin"} <= fields.keys() and digits.isascii() and digits.isdigit():
                number = int(fields["Pin-Priority"])
                line = _line_of(text, fields["Pin"], line)
                found.append(Pin(path, fields["Package"], fields["Pin"], number, line))
    except (FormatError, ValueError):
        pass
    return found


def _is_of(release: str, pattern: str) -> bool:
    """Whether a pattern is for a release; ``11.*`` is for 11 as its point releases are."""
    return fnmatchcase(release, pattern) or pattern in (f"{release}*", f"{release}.*")


def _line_of(text: str, selects: str, after: int) -> int:
    """The line of the next ``Pin`` field with that value, counted from 1."""
    for number, line in enumerate(text.splitlines(), start=1):
        name, _, value = line.partition(":")
        if number > after and name == "Pin" and value.strip() == selects.split("\n")[0]:
            return number
    return 0

"""apt's settings (apt.conf(5)) and its passwords (apt_auth.conf(5))."""

import re
from collections.abc import Iterable, Iterator
from itertools import pairwise

import msgspec

from brave_bridge.core.formats.addresses import parts_of

_TOKEN = re.compile(
    r"""
    (?P<comment>//[^\n]*|\#(?!include|clear)[^\n]*|/\*.*?\*/)
  | "(?P<quoted>[^"]*)"
  | (?P<sign>[{};])
  | (?P<word>[^\s{};"]+)
    """,
    re.VERBOSE | re.DOTALL,
)
_DEEPEST = 20


class Setting(msgspec.Struct, frozen=True):
    """One setting: its name in lower case with ``::``, its value, and where it stands."""

    name: str
    value: str
    path: str = ""
    line: int = 0

    @property
    def where(self) -> str:
        """File and line, counted from 1."""
        return f"{self.path}:{self.line}"


def read_settings(texts: Iterable[str]) -> dict[str, str]:
    """The settings of several files, later ones above earlier; names in lower case with ``::``.

    Directives (``#include``, ``#clear``) are passed over; lists keep their last value.
    """
    found = settings_in_files(("", text) for text in texts)
    return {name: setting.value for name, setting in found.items()}


def settings_in_files(files: Iterable[tuple[str, str]]) -> dict[str, Setting]:
    """The settings of files (path and text), each with where it stands; see ``read_settings``."""
    found: dict[str, Setting] = {}
    for path, text in files:
        for setting in _settings(path, text):
            found[setting.name] = setting
    return found


def _settings(path: str, text: str) -> Iterator[Setting]:
    scope: list[str] = []
    words: list[str] = []
    line, counted_to = 1, 0
    for token in _TOKEN.finditer(text):
        if token["comment"] is not None:
            continue
        if token["sign"] is None:
            words.append(token["quoted"] if token["quoted"] is not None else token["word"])
            continue
        if token["sign"] == "{" and len(scope) < _DEEPEST:
            scope.append(words[0].lower() if words else "")
        elif token["sign"] == "}" and scope:
            scope.pop()
        elif token["sign"] == ";" and len(words) == 2:
            name = "::".join(part for part in (*scope, words[0].lower()) if part)
            line += text.count("\n", counted_to, token.start())
            counted_to = token.start()
            yield Setting(name, words[1], path, line)
        words = []


def proxy_for(settings: dict[str, str], address: str) -> str:
    """The proxy that apt would ask for an address; empty where it would go there itself."""
    parts = parts_of(address)
    scheme, host = parts.scheme, parts.host
    names: tuple[str, ...] = (f"acquire::{scheme}::proxy::{host}", f"acquire::{scheme}::proxy")
    if scheme == "https":
        names += (f"acquire::http::proxy::{host}", "acquire::http::proxy")
    chosen = next((settings[name] for name in names if settings.get(name)), "")
    return "" if chosen.upper() == "DIRECT" else chosen


class Login(msgspec.Struct, frozen=True):
    """A name and a password for the addresses that begin with a place (host and path)."""

    place: str
    name: str
    password: str

    def is_for(self, address: str) -> bool:
        """Whether it is to be used there: passwords go over TLS alone."""
        parts = parts_of(address)
        place = self.place.removeprefix("https://")
        here = f"{parts.host}{parts.path}"
        ends_well = here == place or here.startswith(place.rstrip("/") + "/")
        return parts.scheme == "https" and ends_well


def read_logins(text: str) -> list[Login]:
    """The logins of a file in netrc notation."""
    words = text.split()
    found, fields = [], {}
    for name, value in pairwise(words):
        if name == "machine":
            fields = {"machine": value}
        elif name in ("login", "password") and "machine" in fields:
            fields[name] = value
            if "login" in fields and "password" in fields:
                found.append(Login(fields["machine"], fields["login"], fields["password"]))
                fields = {}
    return found

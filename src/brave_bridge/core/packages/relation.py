"""What packages say of each other: needs, conflicts and what they provide, for every family."""

from typing import Any

import msgspec

Key = Any
"""A version's sort key: bytes, or for families with optional releases a tuple of bytes."""

ANY_ARCHITECTURE = "any"


class Atom(msgspec.Struct, frozen=True, eq=False, gc=False):
    """One name in a relation. ``operator`` is one of ``< <= = >= >``, empty for any version.

    ``architecture`` is what follows the name (``any``, ``i386``), empty where nothing does.
    """

    name: str
    operator: str = ""
    key: Key = b""
    architecture: str = ""
    version: str = ""
    by_name: bool = False
    """Whether only packages of that name are meant, not those that provide it."""

    @property
    def words(self) -> str:
        """As a person reads it: ``libc6 (>= 2.36)``."""
        name = f"{self.name}:{self.architecture}" if self.architecture else self.name
        return f"{name} ({self.operator} {self.version})" if self.operator else name


class Clause(msgspec.Struct, frozen=True, eq=False):
    """Alternatives, the preferred one first. ``unless``: it holds only while these stand.

    ``text`` is the clause as the package writes it.
    """

    atoms: tuple[Atom, ...]
    text: str
    unless: tuple[Atom, ...] = ()


class Provided(msgspec.Struct, frozen=True, gc=False):
    """A name that a package provides; ``key`` is None where it provides no version of it."""

    name: str
    key: Key = None


def holds(have: Key, operator: str, wanted: Key) -> bool:
    """Whether a version stands in a relation to another.

    Where one of them has no release, releases are not compared.
    """
    if type(have) is tuple and len(have) != len(wanted):
        shared = min(len(have), len(wanted))
        have, wanted = have[:shared], wanted[:shared]
    if operator == ">=":
        return have >= wanted
    if operator == "=":
        return have == wanted
    if operator == "<":
        return have < wanted
    if operator == "<=":
        return have <= wanted
    return have > wanted

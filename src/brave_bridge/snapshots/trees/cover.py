"""What a snapshot covers: include and exclude rules as data, each with its reason.

The rules are ``data/cover.toml``; a machine's own are kept with it. Patterns follow
fnmatch(3) over the whole path: ``*`` also matches a slash.
"""

import re
from collections.abc import Callable, Iterable
from fnmatch import translate
from functools import cache, lru_cache
from importlib.resources import files

import msgspec

_WILD = re.compile(r"[*?\[]")

STAGING = ".brave-bridge-return"
"""Where a return is prepared: in the root of each part, so that renames never leave it."""


class Exclusion(msgspec.Struct, frozen=True, omit_defaults=True):
    """A path below the root that is left out, and why; without a reason it is not told."""

    path: str
    reason: str
    kinds: tuple[str, ...] = ()
    passing: bool = False
    """Whether it would be no loss if it went."""
    without_trace: bool = False
    """Whether not even the folder itself is kept: it is there for a while only."""


class MountRule(msgspec.Struct, frozen=True):
    """A place where a file system of its own is part of the system."""

    path: str
    reason: str


class LivingPath(msgspec.Struct, frozen=True):
    """A folder in which a system that runs always writes, and what."""

    path: str
    what: str


class CoverRules(msgspec.Struct, frozen=True):
    """The rules as their file has them."""

    leave_out: tuple[Exclusion, ...]
    mount: tuple[MountRule, ...]
    lives: tuple[LivingPath, ...] = ()


@cache
def rules() -> CoverRules:
    """The rules that ship with Brave Bridge."""
    text = files("brave_bridge.data").joinpath("cover.toml").read_text(encoding="utf-8")
    return msgspec.toml.decode(text, type=CoverRules)


def lives(path: str) -> bool:
    """Whether a system that runs always writes at ``path`` (relative, no leading /)."""
    return any(path == one.path or path.startswith(one.path + "/") for one in rules().lives)


class Cover(msgspec.Struct, frozen=True):
    """All of a file system except the excluded paths. Other file systems are parts of their own."""

    exclusions: tuple[Exclusion, ...]

    def leaves_out(self, path: str) -> bool:
        """Whether ``path`` (relative, no leading /) and all below it is left out."""
        return bool(_matcher(tuple(e.path for e in self.exclusions))(path))

    def keeps_out_of(self, path: str) -> bool:
        """Whether ``path``, or anything above it, is left out."""
        pieces = path.strip("/").split("/")
        return any(self.leaves_out("/".join(pieces[: n + 1])) for n in range(len(pieces)))

    def leaver(self) -> "Leaver":
        """The rules made ready for asking folder by folder."""
        passing = (e.path for e in self.exclusions if e.without_trace)
        return Leaver(tuple(e.path for e in self.exclusions), frozenset(passing))

    @property
    def sentences(self) -> tuple[str, ...]:
        """What is left out and why, a line each."""
        return tuple(f"/{left.path}: {left.reason}" for left in self.exclusions if left.reason)

    def below(self, mount: str) -> "Cover":
        """The cover of a file system that is mounted at ``mount``, its paths from there."""
        inner = mount.strip("/")
        if not inner:
            return self
        own = tuple(
            msgspec.structs.replace(e, path=e.path[len(inner) + 1 :])
            for e in self.exclusions
            if e.path.startswith(inner + "/")
        )
        return Cover((*own, Exclusion(STAGING, "")))


class Leaver:
    """Tells what is left out, and asks only where something can be."""

    def __init__(
        self, patterns: tuple[str, ...], without_trace: frozenset[str] = frozenset()
    ) -> None:
        self.without_trace = without_trace
        self._exact: dict[str, list[str]] = {}
        self._wild: list[tuple[str, str]] = []
        for pattern in patterns:
            wild = _WILD.search(pattern)
            above = pattern[: wild.start() if wild else None].rpartition("/")[0]
            if wild:
                self._wild.append((above, pattern))
            else:
                self._exact.setdefault(above, []).append(pattern)

    def within(self, folder: str) -> Callable[[str], object] | None:
        """What tells whether a path right in ``folder`` is left out; None where none can be."""
        relevant = self._exact.get(folder, [])
        for above, pattern in self._wild:
            if not above or folder == above or folder.startswith(above + "/"):
                relevant = [*relevant, pattern]
        return _matcher(tuple(relevant)) if relevant else None


@lru_cache(maxsize=64)
def _matcher(patterns: tuple[str, ...]):
    return re.compile("|".join(translate(pattern) for pattern in patterns) or r"(?!)").match


def cover_for(kind: str, more: Iterable[Exclusion] = (), unless: Iterable[str] = ()) -> Cover:
    """The cover of a machine of that kind (``running``, ``tree``, ``stand-in``).

    ``more`` are a machine's own exclusions; ``unless`` are paths that it covers although
    the rules leave them out.
    """
    taken_in = set(unless)
    shipped = tuple(
        rule
        for rule in rules().leave_out
        if (not rule.kinds or kind in rule.kinds) and rule.path not in taken_in
    )
    return Cover(shipped + tuple(more))


HOME_SENTENCE = "Home folders (/home) are not part of a snapshot."

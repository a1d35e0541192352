"""What a return would bring back and take away, grouped by what it means to people."""

import re
from collections.abc import Iterable
from fnmatch import translate

import msgspec


class Group(msgspec.Struct, frozen=True):
    """A kind of files: shell patterns for a path below the root or a folder above it."""

    name: str
    meaning: str
    grave: bool
    paths: tuple[str, ...]


class Touched(msgspec.Struct, frozen=True):
    """A path that a return would touch.

    ``lost`` bytes are in the way of the snapshot now, ``changed`` is when (ISO 8601 in UTC,
    empty where nothing is there now); ``new`` where the snapshot does not have it at all.
    """

    path: str
    new: bool
    lost: int
    changed: str
    folder: bool = False


class Loss(msgspec.Struct, frozen=True, kw_only=True):
    """A group of what would be lost: files that came and files that changed since."""

    name: str
    meaning: str
    grave: bool
    came: int
    changed: int
    size: int
    newest: str
    examples: tuple[str, ...]

    @property
    def count(self) -> int:
        """How many files."""
        return self.came + self.changed


_EXAMPLES = 4


def losses(touched: Iterable[Touched], groups: tuple[Group, ...]) -> list[Loss]:
    """The losses by group, the grave ones first, in the order of the groups.

    The last group takes what no other does.
    """
    matchers = [re.compile("|".join(translate(p) for p in group.paths)) for group in groups]
    members: dict[int, list[Touched]] = {}
    for item in touched:
        if not item.folder:
            members.setdefault(_group_of(item.path, matchers), []).append(item)
    found = [_loss(groups[number], members[number]) for number in sorted(members)]
    return sorted(found, key=lambda loss: not loss.grave)


def _group_of(path: str, matchers: list[re.Pattern]) -> int:
    above = [path]
    while "/" in above[-1]:
        above.append(above[-1].rpartition("/")[0])
    for number, matcher in enumerate(matchers):
        if any(matcher.fullmatch(place) for place in above):
            return number
    return len(matchers) - 1


def _loss(group: Group, members: list[Touched]) -> Loss:
    examples = sorted(members, key=lambda item: item.changed, reverse=True)[:_EXAMPLES]
    return Loss(
        name=group.name,
        meaning=group.meaning,
        grave=group.grave,
        came=sum(item.new for item in members),
        changed=sum(not item.new for item in members),
        size=sum(item.lost for item in members),
        newest=max((item.changed for item in members), default=""),
        examples=tuple(item.path for item in examples),
    )

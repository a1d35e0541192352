"""What packages are to the machine they serve, and what their change asks for afterwards."""

import re
from collections.abc import Iterable
from fnmatch import translate

import msgspec

from brave_bridge.core.versions.deb import upstream_series


class Role(msgspec.Struct, frozen=True):
    """A role; ``packages`` are shell patterns for names.

    ``always``: a change is worth a look even where the major version stays. ``series``: how many
    numbers of a version name its series, a change of which is a jump; 0 where the family says.
    ``restart``: a change takes effect only when the machine restarts.
    """

    name: str
    after: str
    packages: tuple[str, ...]
    always: bool = False
    series: int = 0
    restart: bool = False


class Roles:
    """The roles in their order: the first that fits a package is its own."""

    def __init__(self, roles: Iterable[Role]) -> None:
        self._roles = [(re.compile("|".join(map(translate, r.packages))), r) for r in roles]
        self._known: dict[str, Role | None] = {}

    def of(self, slot: str) -> Role | None:
        """The role of a package, None for most."""
        name = slot.partition(":")[0]
        if name not in self._known:
            fitting = (role for pattern, role in self._roles if pattern.match(name))
            self._known[name] = next(fitting, None)
        return self._known[name]

    def is_jump(self, slot: str, old: str, new: str) -> bool:
        """Whether a package goes to another series, as its role counts them."""
        role = self.of(slot)
        numbers = role.series if role else 0
        return bool(numbers) and upstream_series(old, numbers) != upstream_series(new, numbers)

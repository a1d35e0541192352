"""A program that runs scripts of this machine's own."""

from collections.abc import Container

import msgspec

_PARTS = ("", "-minimal", "-cli", "-core", "-base")
_UNVERSIONED = {
    "python": ("python-is-python2", "python-minimal", "python2-minimal"),
    "python2": ("python2-minimal",),
}
"""Programs that packages of other names bring."""


class Interpreter(msgspec.Struct, frozen=True):
    """``name`` as the scripts have it; ``path`` is where it stands, empty where it does not."""

    name: str
    path: str
    users: tuple[str, ...]

    @property
    def short(self) -> str:
        """Its name without folders."""
        return self.name.rpartition("/")[2]

    def among(self, packages: Container[str]) -> str:
        """The package of that program among some, by the names that such packages have."""
        names = (*(f"{self.short}{part}" for part in _PARTS), *_UNVERSIONED.get(self.short, ()))
        return next((name for name in names if name in packages), "")

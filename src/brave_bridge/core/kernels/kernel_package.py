"""A package that has something of a kernel, and what it has."""

import re

import msgspec

IMAGE, HEADERS, MODULES, FOLLOWS = "image", "headers", "modules", "follows"
"""What a package has of a kernel: the image, what modules are built with, modules alone, or
nothing but a dependency, by which the machine gets every newer one."""


_NUMBERS = re.compile(r"^[\d.]+[^-]*(-\d+)?-?")


class KernelPackage(msgspec.Struct, frozen=True):
    """A package and the kernel that it is of (``uname -r``).

    For one that ``follows``, the kernel is the one that it brings now. ``by_hand``: somebody
    asked for it, None where that is not told. ``needs`` are the packages of kernels that it
    depends on.
    """

    name: str
    version: str
    kernel: str
    part: str
    by_hand: bool | None = False
    held: bool = False
    size_bytes: int = 0
    needs: tuple[str, ...] = ()
    held_by: str = ""
    """Where it is written that it is held; empty where the database itself has it."""
    siblings: tuple[str, ...] = ()
    """Packages of the same source, which have to stay at its version."""

    @property
    def follows_series(self) -> bool:
        """Whether its next version may be of another series: its name says nothing of one."""
        return bool(self.needs) or series_of(self.kernel) not in self.name


def flavour_of(version: str) -> str:
    """What stands behind the numbers of a kernel's version: ``amd64`` of ``6.1.0-28-amd64``."""
    return _NUMBERS.sub("", version)


def series_of(version: str) -> str:
    """The series of a kernel's or a package's version: ``6.1`` of ``6.1.0-28-amd64``."""
    upstream = version.partition(":")[2] or version
    numbers = upstream.replace("-", ".").replace("~", ".").replace("+", ".").split(".")
    return ".".join(numbers[:2]) if all(number.isdigit() for number in numbers[:2]) else ""

"""Which version of a package apt would choose (apt_preferences(5))."""

import re
from collections.abc import Iterable
from fnmatch import fnmatchcase

import msgspec

from brave_bridge.core.formats.apt_preferences import Pin
from brave_bridge.core.packages.package_version import PackageVersion

DOWNGRADES, CHOSEN_RELEASE, NORMAL = 1000, 990, 500
INSTALLED, UPGRADES_ONLY, ON_REQUEST = 100, 100, 1


class Origin(msgspec.Struct, frozen=True, kw_only=True):
    """What pins tell an index by: words of its signed description, and where it came from."""

    suite: str = ""
    codename: str = ""
    version: str = ""
    origin: str = ""
    label: str = ""
    component: str = ""
    host: str = ""
    only_on_request: bool = False
    upgrades_by_itself: bool = False

    @property
    def priority(self) -> int:
        """Its priority where no pin says otherwise."""
        if not self.only_on_request:
            return NORMAL
        return UPGRADES_ONLY if self.upgrades_by_itself else ON_REQUEST


class Policy:
    """The pins of a machine. ``default_release`` is apt's setting of that name."""

    def __init__(self, pins: Iterable[Pin] = (), default_release: str = "") -> None:
        self._specific = [pin for pin in pins if not pin.is_general]
        self._general = [pin for pin in pins if pin.is_general]
        self._default_release = default_release
        self._by_name: dict[str, list[Pin]] = {}

    def priority(self, version: PackageVersion, origins: Iterable[Origin]) -> int:
        """The priority of a version that these archives offer; none are given for the machine."""
        origins = list(origins)
        for pin in self._specific_for(version):
            if any(_selects(pin, version, origin) for origin in origins or [Origin()]):
                return pin.priority
        return max((self._of_archive(origin) for origin in origins), default=INSTALLED)

    def pin_against(self, version: PackageVersion, origins: Iterable[Origin]) -> Pin | None:
        """The pin that keeps a version of these archives from being chosen, if one does."""
        refusing = [
            pin
            for origin in origins
            for pin in self._general
            if pin.priority < NORMAL and _selects(pin, None, origin)
        ]
        return next(iter((*self._specific_for(version), *refusing)), None)

    def _specific_for(self, version: PackageVersion) -> list[Pin]:
        if not self._specific:
            return []
        if version.name not in self._by_name:
            self._by_name[version.name] = [
                pin for pin in self._specific if _names(pin, version.name, version.details.source)
            ]
        return self._by_name[version.name]

    def _of_archive(self, origin: Origin) -> int:
        for pin in self._general:
            if _selects(pin, None, origin):
                return pin.priority
        if self._default_release and self._default_release in (
            origin.suite,
            origin.codename,
            origin.version,
        ):
            return CHOSEN_RELEASE
        return origin.priority

    def candidate(
        self,
        offered: Iterable[tuple[PackageVersion, list[Origin]]],
        installed: PackageVersion | None,
    ) -> PackageVersion | None:
        """The version that apt would choose, the installed one where it chooses none other."""
        offers = list(offered)
        if installed is not None and all(v.version != installed.version for v, _ in offers):
            offers.append((installed, []))
        chosen, highest = None, 0
        for version, origins in sorted(offers, key=lambda offer: offer[0].key, reverse=True):
            priority = self.priority(version, origins)
            if priority <= highest:
                continue
            if installed is not None and priority < DOWNGRADES and version.key < installed.key:
                continue
            chosen, highest = version, priority
        if installed is not None and chosen is not None and chosen.version == installed.version:
            return installed
        return chosen


def _names(pin: Pin, name: str, source: str) -> bool:
    """Whether a pin is for a package: names, shell patterns or ``/expressions/``."""
    for word in pin.packages.split():
        wanted = source if word.startswith("src:") else name
        word = word.removeprefix("src:").partition(":")[0]
        if len(word) > 1 and word.startswith("/") and word.endswith("/"):
            if _matches_expression(word[1:-1], wanted):
                return True
        elif fnmatchcase(wanted, word):
            return True
    return False


def _matches_expression(expression: str, text: str) -> bool:
    try:
        return re.search(expression, text) is not None
    except re.error:
        return False


_RELEASE_FIELDS = {
    "a": "suite",
    "n": "codename",
    "v": "version",
    "o": "origin",
    "l": "label",
    "c": "component",
}


def _selects(pin: Pin, version: PackageVersion | None, origin: Origin) -> bool:
    """Whether a pin selects a version from an archive."""
    if pin.kind == "version":
        return version is not None and fnmatchcase(version.version, pin.value)
    if pin.kind == "origin":
        return origin.host == pin.value.strip('"')
    return bool(pin.conditions) and all(
        _fulfils(origin, letter, pattern) for letter, pattern in pin.conditions
    )


def _fulfils(origin: Origin, letter: str, pattern: str) -> bool:
    if not letter:
        return pattern in (origin.suite, origin.codename, origin.version)
    field = _RELEASE_FIELDS.get(letter)
    return field is not None and fnmatchcase(getattr(origin, field), pattern)

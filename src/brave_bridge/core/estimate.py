"""How long a crossing will take: a range from sizes, counts, speeds and earlier crossings."""

import re
from collections.abc import Iterable, Sequence

import msgspec

ASSUMED_LINK = 2_000_000.0
"""Bytes a second that a link is taken to carry before it was measured."""

ASSUMED_DISK = 60_000_000.0
"""Bytes a second that a disk is taken to write before it was measured."""

ASSUMED_PACKAGE_SECONDS = 0.7
"""Seconds that a package is taken to need, beyond the writing of its bytes."""

ASSUMED_RESTART = 90.0
"""Seconds that a restart is taken to need before one was seen."""

_FIXED_SECONDS = 8.0
"""Reading, checking and proving, a leg."""

_SPREAD_UNKNOWN = (0.6, 1.9)
_LEAST_SPREAD = (0.85, 1.2)


class Speeds(msgspec.Struct, frozen=True):
    """What was measured on the machine: bytes a second, seconds a package and a restart.

    0 is not measured.
    """

    link: float = 0.0
    disk: float = 0.0
    package_seconds: float = 0.0
    restart: float = 0.0


class Work(msgspec.Struct, frozen=True):
    """What one leg has to do: bytes to fetch and to write, packages to change, restarts."""

    fetch_bytes: int
    write_bytes: int
    packages: int
    snapshot_bytes: int = 0
    restarts: int = 0


class Estimate(msgspec.Struct, frozen=True):
    """Seconds a crossing is likely to take, and a range that it should stay within.

    ``basis`` says in words what it rests on; ``parts`` are seconds by step.
    """

    seconds: float
    low: float
    high: float
    basis: str
    parts: dict[str, float] = {}

    @property
    def words(self) -> str:
        """As a person says it: ``4 to 9 minutes``."""
        return range_words(self.low, self.high)


class Window(msgspec.Struct, frozen=True):
    """A maintenance window: a time of day (``22:00``), any day or one (``Sat``), its length."""

    start: str
    minutes: int
    day: str = ""

    @property
    def words(self) -> str:
        """As a person says it: ``Sat 22:00, 4 h``."""
        hours, minutes = divmod(self.minutes, 60)
        length = f"{hours} h {minutes} min" if hours and minutes else ""
        length = length or (f"{hours} h" if hours else f"{minutes} min")
        return f"{self.day} {self.start}, {length}".strip()


_WINDOW = re.compile(
    r"^(?:(mon|tue|wed|thu|fri|sat|sun) )?([01]\d|2[0-3]):([0-5]\d)"
    r"(?:-([01]\d|2[0-3]):([0-5]\d))$",
    re.IGNORECASE,
)


def read_window(text: str) -> Window:
    """A window from ``22:00-02:00`` or ``Sat 22:00-02:00``; ValueError for anything else."""
    match = _WINDOW.match(text.strip())
    if match is None:
        raise ValueError("a window is written as 22:00-02:00 or Sat 22:00-02:00")
    day, *numbers = match.groups()
    hour, minute, end_hour, end_minute = (int(number) for number in numbers)
    minutes = (end_hour * 60 + end_minute - hour * 60 - minute) % (24 * 60)
    if not minutes:
        raise ValueError("the window ends when it starts")
    return Window(f"{hour:02}:{minute:02}", minutes, (day or "").capitalize())


def estimate(legs: Sequence[Work], speeds: Speeds, earlier: Sequence[float] = ()) -> Estimate:
    """The time for legs one after the other.

    ``earlier`` are the ratios of actual to estimated time of crossings before, oldest
    first; with them the estimate is corrected and its range narrows.
    """
    link, disk = speeds.link or ASSUMED_LINK, speeds.disk or ASSUMED_DISK
    each = speeds.package_seconds or ASSUMED_PACKAGE_SECONDS
    parts = {
        "way back": sum(leg.snapshot_bytes for leg in legs) / disk,
        "download": sum(leg.fetch_bytes for leg in legs) / link,
        "packages": sum(leg.packages for leg in legs) * each
        + sum(leg.write_bytes for leg in legs) / disk,
        "restarts": sum(leg.restarts for leg in legs) * (speeds.restart or ASSUMED_RESTART),
        "reading and proof": _FIXED_SECONDS * len(legs),
    }
    correction, low, high = _spread(earlier)
    seconds = sum(parts.values()) * correction
    return Estimate(
        seconds=seconds,
        low=seconds * low,
        high=seconds * high,
        basis=_basis(speeds, len(earlier)),
        parts={name: value * correction for name, value in parts.items()},
    )


def _spread(earlier: Sequence[float]) -> tuple[float, float, float]:
    """The correction, and the factors of the range around the corrected time."""
    ratios = [ratio for ratio in earlier if ratio > 0][-5:]
    if not ratios:
        return 1.0, *_SPREAD_UNKNOWN
    weights = range(1, len(ratios) + 1)
    middle = sum(r * w for r, w in zip(ratios, weights, strict=True)) / sum(weights)
    # Few crossings say little of how far one may stray: the range stays wide at first.
    doubt = 1 + 0.5 / len(ratios)
    low = min(min(ratios) / middle, _LEAST_SPREAD[0]) / doubt
    high = max(max(ratios) / middle, _LEAST_SPREAD[1]) * doubt
    return middle, low, high


def _basis(speeds: Speeds, crossings: int) -> str:
    measured = [
        name
        for name, value in (
            ("link", speeds.link),
            ("disk", speeds.disk),
            ("packages", speeds.package_seconds),
            ("restarts", speeds.restart),
        )
        if value
    ]
    if crossings:
        times = "one crossing" if crossings == 1 else f"{crossings} crossings"
        return f"speeds measured here, corrected by {times} before"
    return f"measured here: {', '.join(measured)}" if measured else "nothing was measured here yet"


def measured(samples: Iterable[tuple[float, float]], *, least: float = 0.0) -> float:
    """Amounts over seconds, summed; samples of hardly any time or amount are left out."""
    kept = [(amount, seconds) for amount, seconds in samples if seconds > 0.05 and amount > least]
    total = sum(seconds for _, seconds in kept)
    return sum(amount for amount, _ in kept) / total if total else 0.0


def range_words(low: float, high: float) -> str:
    """``20 to 50 seconds``, ``4 to 9 minutes``, ``1.5 to 3 hours``."""
    if high < 100:
        return _pair(low, high, 1, "second")
    if high < 100 * 60:
        return _pair(low, high, 60, "minute")
    return f"{low / 3600:.1f} to {high / 3600:.1f} hours"


def _pair(low: float, high: float, unit: int, noun: str) -> str:
    least, most = max(round(low / unit), 1), max(round(high / unit), 1)
    if least == most:
        return f"about {most} {noun}" + ("s" if most != 1 else "")
    return f"{least} to {most} {noun}s"

"""Progress as many tools print it: ``42% NAME`` at the beginning of a line."""

import re

_LINE = re.compile(r"\s*(\d{1,3}(?:\.\d+)?)%\s*(.*)")


def percent_in(line: str) -> tuple[float, str] | None:
    """How far a line says that something is, and what it says beside; None where it does not."""
    match = _LINE.fullmatch(line.rstrip())
    if match is None or float(match[1]) > 100:
        return None
    return float(match[1]), match[2]

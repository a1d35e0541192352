"""The tables of release dates that the package distro-info-data installs (CSV)."""

import csv
from datetime import date

import msgspec

_ENDS = ("eol-lts", "eol-server", "eol")
"""The columns that tell the end of free support, the one that counts first."""


class ReleaseDates(msgspec.Struct, frozen=True):
    """A release's row. ``series`` is the codename as sources write it."""

    version: str
    codename: str
    series: str
    released: date | None = None
    support_ends: date | None = None


def read_release_dates(text: str) -> list[ReleaseDates]:
    """The rows that name a version; a damaged date counts as none."""
    found = []
    for row in csv.DictReader(text.splitlines()):
        version = (row.get("version") or "").split(" ")[0]
        if not version or not row.get("series"):
            continue
        ends = [_day(row.get(column)) for column in _ENDS]
        known = [day for day in ends if day]
        found.append(
            ReleaseDates(
                version=version,
                codename=row.get("codename") or "",
                series=row["series"],
                released=_day(row.get("release")),
                support_ends=max(known, default=None),
            )
        )
    return found


def _day(text: str | None) -> date | None:
    try:
        return date.fromisoformat(text or "")
    except ValueError:
        return None

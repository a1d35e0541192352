"""What apt-get prints and reports, as data.

``change_summary`` reads the lists that ``apt-get --verbose-versions`` prints in the C
locale; ``status_line`` reads the status descriptor that ``APT::Status-Fd`` names
(apt's README.progress-reporting).
"""

import re

import msgspec

_SECTIONS = {
    "The following packages will be upgraded:": "upgraded",
    "The following NEW packages will be installed:": "new",
    "The following packages will be REMOVED:": "removed",
    "The following packages have been kept back:": "kept_back",
    "The following packages will be DOWNGRADED:": "downgraded",
    "The following held packages will be changed:": "held_changed",
    "The following packages were automatically installed and are no longer required:": "unused",
    "The following package was automatically installed and is no longer required:": "unused",
}
# A package that no source offers any more is printed without a version.
_ROW = re.compile(r"^ {2,}(?P<name>[^\s(*]+)\*?(?: \((?P<versions>[^)]*)\))?\s*$")


class SummaryRow(msgspec.Struct, frozen=True):
    """A package in one of the lists; a version that is not printed is empty."""

    name: str
    old: str
    new: str


class ChangeSummary(msgspec.Struct, frozen=True):
    """The lists of a planned change."""

    upgraded: tuple[SummaryRow, ...] = ()
    new: tuple[SummaryRow, ...] = ()
    removed: tuple[SummaryRow, ...] = ()
    kept_back: tuple[SummaryRow, ...] = ()
    downgraded: tuple[SummaryRow, ...] = ()
    unused: tuple[SummaryRow, ...] = ()


def change_summary(output: str) -> ChangeSummary:
    """The lists in apt-get's output; lists that it does not print are empty."""
    rows: dict[str, list[SummaryRow]] = {}
    section = None
    for line in output.splitlines():
        if line in _SECTIONS:
            section = _SECTIONS[line]
        elif not line.startswith("  "):
            section = None
        elif section and (match := _ROW.match(line)):
            rows.setdefault(section, []).append(
                _row(section, match["name"], match["versions"] or "")
            )
    rows.pop("held_changed", None)
    return ChangeSummary(**{name: tuple(found) for name, found in rows.items()})


def _row(section: str, name: str, versions: str) -> SummaryRow:
    old, arrow, new = versions.partition(" => ")
    if arrow:
        return SummaryRow(name, old, new)
    return SummaryRow(name, "", versions) if section == "new" else SummaryRow(name, versions, "")


class StatusLine(msgspec.Struct, frozen=True):
    """One report: ``kind`` is ``fetch``, ``change``, ``error`` or ``question``."""

    kind: str
    subject: str
    percent: float
    text: str


_KINDS = {"dlstatus": "fetch", "pmstatus": "change", "pmerror": "error", "pmconffile": "question"}


def status_line(line: str) -> StatusLine | None:
    """A line of the status descriptor, or None where it is not one."""
    word, _, rest = line.partition(":")
    parts = rest.split(":", 2)
    if word not in _KINDS or len(parts) < 3:
        return None
    # A subject may carry an architecture: "name:arch:percent:text".
    subject, percent, text = parts
    if not _is_number(percent):
        arch, (percent, _, text) = percent, text.partition(":")
        subject = f"{subject}:{arch}"
    if not _is_number(percent):
        return None
    return StatusLine(_KINDS[word], subject, float(percent), text.strip())


def _is_number(text: str) -> bool:
    return text.replace(".", "", 1).isdigit()


_FETCHED = re.compile(
    r"^Fetched ([\d.,]+) ([kMG]?)B in (?:(\d+)h )?(?:(\d+)min )?(\d+)s", re.MULTILINE
)
_SCALE = {"": 1, "k": 10**3, "M": 10**6, "G": 10**9}


def fetched(output: str) -> tuple[float, float] | None:
    """Bytes and seconds of ``Fetched 9,123 kB in 3s (2,831 kB/s)``; None where none is told."""
    match = _FETCHED.search(output)
    if match is None:
        return None
    amount, scale, hours, minutes, seconds = match.groups()
    try:
        size = float(amount.replace(",", "")) * _SCALE[scale]
    except ValueError:
        return None
    # Less than a second is told as 0.
    return size, max(int(hours or 0) * 3600 + int(minutes or 0) * 60 + int(seconds), 0.5)

"""What stands on a machine, from dpkg's database and apt's marks, as the planner sees it."""

import re
from collections.abc import Iterator

from brave_bridge.core.formats.packages.deb_package import BadStanza, package_version
from brave_bridge.core.packages.package_version import Installed

_BLANK = re.compile(rb"\n(?:[ \t]*\n)+")
_NOT_THERE = ("not-installed", "config-files")


def installed_packages(status: bytes, marks: str, native: str) -> Iterator[Installed]:
    """The packages of a dpkg status file (deb-status); ``marks`` is apt's extended_states.

    Stanzas that describe no package are passed over: a survey tells of them.
    """
    automatic = automatic_in(marks)
    for stanza in _BLANK.split(status):
        try:
            package, words = package_version(b"\n" + stanza, native)
        except BadStanza:
            continue
        want, fault, state = (words.split() + ["unknown"] * 3)[:3]
        if state in _NOT_THERE or want == "unknown":
            continue
        yield Installed(
            package=package,
            by_hand=(package.name, package.architecture) not in automatic,
            held=want == "hold",
            whole=state == "installed" and fault == "ok",
        )


def automatic_in(marks: str) -> set[tuple[str, str]]:
    """The packages that came with others, by name and architecture."""
    found = set()
    for stanza in marks.split("\n\n"):
        fields = dict(line.split(": ", 1) for line in stanza.splitlines() if ": " in line)
        if fields.get("Auto-Installed") == "1":
            found.add((fields.get("Package", ""), fields.get("Architecture", "")))
    return found

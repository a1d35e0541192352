"""Package managers' logs, as far as they tell when the release changed (dpkg.log, dpkg(1))."""

import re

_DPKG = re.compile(r"^(\d{4}-\d\d-\d\d) \S+ (?:upgrade|install) ([a-z0-9.+-]+):?\S* (\S+) (\S+)$")


def read_dpkg_versions(text: str, package: str) -> list[tuple[str, str]]:
    """The ISO days on which a package came in a new version, and that version, oldest first."""
    found = []
    for line in text.splitlines():
        match = _DPKG.match(line)
        if match and match[2] == package:
            found.append((match[1], match[4]))
    return sorted(found)

"""What the machine shares: directories over NFS (exports(5)) and shares of smb.conf(5)."""

import re

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import not_read, topic
from brave_bridge.machines.queries import Contents, Seen

NAME = "shares"
_EXPORTS = ("/etc/exports", "/etc/exports.d/*.exports")
_SMB = "/etc/samba/smb.conf"
QUERIES = (Contents((*_EXPORTS, _SMB), 256 * 1024),)
_SECTION = re.compile(r"^\s*\[([^\]]+)\]")
_PATH = re.compile(r"^\s*path\s*=\s*(.+)$", re.IGNORECASE)
_NO_SHARES = ("global", "homes", "printers", "print$")


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description."""
    values: dict[str, str] = {}
    for pattern in _EXPORTS:
        for _, text in seen.texts(pattern):
            for line in text.splitlines():
                words = line.split("#")[0].split()
                if words:
                    values[f"export {words[0]}"] = " ".join(words[1:])
    section = ""
    for line in (seen.text(_SMB) or "").splitlines():
        if match := _SECTION.match(line):
            section = match[1].strip()
            if section.lower() not in _NO_SHARES:
                values[f"share {section}"] = ""
        elif section.lower() not in _NO_SHARES and section and (match := _PATH.match(line)):
            values[f"share {section}"] = match[1].strip()
    closed = not_read(seen, (*_EXPORTS, "/etc/exports.d*", _SMB))
    return topic(NAME, values, f"{_EXPORTS[0]}, {_SMB}", closed)

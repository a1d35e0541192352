"""A kernel's ``.config``: options with their values, text in and text out.

Follows the kernel's own Documentation/kbuild/kconfig.rst: ``CONFIG_NAME=value``, and
``# CONFIG_NAME is not set`` for what is off.
"""

import re
from collections.abc import Mapping

from brave_bridge.core.formats.packing import PackingError, unpack
from brave_bridge.core.formats.text import decoded

OFF = "n"
LARGEST = 4_000_000
"""Bytes of a file that are read; a whole distribution's has 300,000."""

_GZIP = b"\x1f\x8b"
_MOST_UNPACKED = 64_000_000
_SET = re.compile(r"CONFIG_(\w+)=(.*)")
_UNSET = re.compile(r"# CONFIG_(\w+) is not set")


def config_text(content: bytes) -> str:
    """A configuration as text, unpacked where it is packed (/proc/config.gz); empty if damaged."""
    if not content.startswith(_GZIP):
        return decoded(content)
    try:
        return decoded(unpack(content, ".gz", _MOST_UNPACKED))
    except PackingError:
        return ""


def read_config(text: str) -> dict[str, str]:
    """The options by name without ``CONFIG_``: ``y``, ``m``, ``n``, a number, or text in quotes.

    The last word on an option holds; other lines are passed over.
    """
    found: dict[str, str] = {}
    for line in text.splitlines():
        if match := _SET.fullmatch(line.strip()):
            found[match[1]] = match[2].strip()
        elif match := _UNSET.fullmatch(line.strip()):
            found[match[1]] = OFF
    return found


def with_options(text: str, wanted: Mapping[str, str]) -> str:
    """The text with options set; each in its own line, what was not there at the end."""
    left = dict(wanted)
    lines = []
    for line in text.splitlines():
        match = _SET.fullmatch(line.strip()) or _UNSET.fullmatch(line.strip())
        if match is None or match[1] not in wanted:
            lines.append(line)
        elif match[1] in left:
            lines.append(_line(match[1], left.pop(match[1])))
    lines += [_line(name, value) for name, value in left.items()]
    return "\n".join(lines) + "\n" if lines else ""


def _line(name: str, value: str) -> str:
    return f"# CONFIG_{name} is not set" if value == OFF else f"CONFIG_{name}={value}"

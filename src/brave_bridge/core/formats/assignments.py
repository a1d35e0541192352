"""Files of ``key = value`` lines: one value read, one value changed, all else left as it is."""

import re

_LINE = r"^(\s*{key}\s*=\s*)([^#\n]*?)(\s*(?:#.*)?)$"


def value_of(text: str, key: str) -> str:
    """The last value that a key is given; empty where it is given none."""
    found = re.findall(_LINE.format(key=re.escape(key)), text, re.MULTILINE)
    return found[-1][1].strip("\"'") if found else ""


def with_value(text: str, key: str, value: str) -> str:
    """The text with another value of a key: in the place of the last, else in a line at the end."""
    lines = list(re.finditer(_LINE.format(key=re.escape(key)), text, re.MULTILINE))
    if not lines:
        gap = "" if not text or text.endswith("\n") else "\n"
        return f"{text}{gap}{key}={value}\n"
    last = lines[-1]
    return text[: last.start(2)] + value + text[last.end(2) :]

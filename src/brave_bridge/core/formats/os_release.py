"""The operating system identification file (os-release(5))."""

import shlex


def read_os_release(text: str) -> dict[str, str]:
    """Its assignments. Lines that are none, or are badly quoted, are passed over."""
    values: dict[str, str] = {}
    for line in text.splitlines():
        name, equals, value = line.strip().partition("=")
        if not equals or not name.replace("_", "").isalnum():
            continue
        try:
            parts = shlex.split(value, comments=False)
        except ValueError:
            continue
        values[name] = "".join(parts)[:256]
    return values

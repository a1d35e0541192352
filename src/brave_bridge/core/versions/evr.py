"""``[epoch:]version[-release]``, as rpm-version(7) and vercmp(8) read it."""

import re

_EPOCH = re.compile(r"([0-9]*):")

Key = tuple[bytes, ...]
"""Epoch and version, then the release; the first alone where no release is given."""


def split_evr(text: str) -> tuple[str, str, str | None]:
    """Epoch (``0`` where there is none), version, and release (None where none is given)."""
    match = _EPOCH.match(text)
    rest = text[match.end() :] if match else text
    epoch = (match[1] if match else "") or "0"
    version, dash, release = rest.rpartition("-")
    return (epoch, version, release) if dash else (epoch, rest, None)

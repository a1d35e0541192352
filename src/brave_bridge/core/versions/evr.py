"""``[epoch:]version[-release]``, as rpm-version(7) and vercmp(8) read it."""

import re
from collections.abc import Callable

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


def evr_key(text: str, part_key: Callable[[str], bytes]) -> Key:
    """The key of a version whose parts have keys of their own, each of which ends by itself."""
    epoch, version, release = split_evr(text)
    whole = part_key(epoch) + part_key(version)
    return (whole,) if release is None else (whole, part_key(release))

"""Paths inside a root folder: no link leads out of it (as openat2(2) RESOLVE_IN_ROOT)."""

import errno
import os
from collections.abc import Callable
from pathlib import Path

MAX_LINKS = 40


def located(
    root: str, path: str, *, follow_last: bool = True, readlink: Callable[[str], str] = os.readlink
) -> str:
    """Where a machine's absolute path stands under ``root``, links resolved as if root were /.

    The path need not exist. OSError(ELOOP) where links go round. ``readlink`` raises OSError
    for what is no link.
    """
    root = root.rstrip("/")
    pending = [part for part in reversed(path.split("/")) if part not in ("", ".")]
    parts: list[str] = []
    links = 0
    while pending:
        part = pending.pop()
        if part == "..":
            del parts[-1:]
            continue
        target = None
        if pending or follow_last:
            try:
                target = readlink("/".join((root, *parts, part)))
            except OSError:
                target = None
        if target is None:
            parts.append(part)
            continue
        links += 1
        if links > MAX_LINKS:
            raise OSError(errno.ELOOP, os.strerror(errno.ELOOP), path)
        if target.startswith("/"):
            parts.clear()
        pending += [piece for piece in reversed(target.split("/")) if piece not in ("", ".")]
    return "/".join((root, *parts)) or "/"


def inside(root: Path, path: str, *, follow_last: bool = True) -> Path:
    """The same, as a path."""
    return Path(located(str(root), path, follow_last=follow_last))

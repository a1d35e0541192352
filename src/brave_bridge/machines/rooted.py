"""Paths inside a root folder: no link leads out of it (as openat2(2) RESOLVE_IN_ROOT)."""

import os
from pathlib import Path

MAX_LINKS = 40


def inside(root: Path, path: str, *, follow_last: bool = True) -> Path:
    """Where a machine's absolute path stands under ``root``, links resolved as if root were /.

    The path need not exist. OSError(ELOOP) where links go round.
    """
    pending = [part for part in path.split("/") if part not in ("", ".")]
    pending.reverse()
    resolved: list[str] = []
    links = 0
    while pending:
        part = pending.pop()
        if part == "..":
            if resolved:
                resolved.pop()
            continue
        candidate = root.joinpath(*resolved, part)
        if (pending or follow_last) and candidate.is_symlink():
            links += 1
            if links > MAX_LINKS:
                raise OSError(40, "too many levels of symbolic links", str(candidate))
            target = os.readlink(candidate)
            if target.startswith("/"):
                resolved.clear()
            pending.extend(piece for piece in reversed(target.split("/")) if piece not in ("", "."))
            continue
        resolved.append(part)
    return root.joinpath(*resolved)

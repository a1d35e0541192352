"""Writing a small file of our own beside a snapshot or a return in one step."""

import os
from datetime import UTC, datetime
from pathlib import Path


def replace_content(path: Path, content: bytes) -> None:
    """Put a file in its place, whole or not at all, and on the disk before it is there. OSError."""
    new = path.with_name(path.name + ".new")
    with open(new, "wb") as stream:
        stream.write(content)
        stream.flush()
        os.fsync(stream.fileno())
    os.replace(new, path)


def set_aside_damaged(path: Path) -> Path:
    """Give a file that cannot be read another name beside it, where a person finds it. OSError."""
    stamp = datetime.now(UTC).strftime("%Y%m%d-%H%M%S-%f")
    aside = path.with_name(f"{path.name}.damaged-{stamp}")
    os.rename(path, aside)
    return aside

"""Writing a person's own small files in one step."""

import os
import tempfile
from pathlib import Path


def write_atomically(place: Path, content: bytes) -> None:
    """Put a file in its place, whole or not at all, its folder made if need be. OSError."""
    place.parent.mkdir(parents=True, exist_ok=True)
    descriptor, temporary = tempfile.mkstemp(prefix=".new-", dir=place.parent)
    try:
        with os.fdopen(descriptor, "wb") as stream:
            stream.write(content)
            stream.flush()
            os.fsync(stream.fileno())
        os.replace(temporary, place)
    except BaseException:
        Path(temporary).unlink(missing_ok=True)
        raise

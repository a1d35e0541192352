"""How fast a file system takes what is written to it: a short probe."""

import contextlib
import os
import tempfile
import time
from pathlib import Path

_PROBE_BYTES = 16 << 20


def write_speed(folder: Path) -> float:
    """Bytes a second that the file system of a folder writes and syncs; 0 where it cannot."""
    block = os.urandom(1 << 20)
    try:
        descriptor, name = tempfile.mkstemp(prefix=".brave-bridge-probe-", dir=folder)
    except OSError:
        return 0.0
    try:
        began = time.perf_counter()
        for _ in range(_PROBE_BYTES >> 20):
            os.write(descriptor, block)
        os.fsync(descriptor)
        return _PROBE_BYTES / (time.perf_counter() - began)
    except OSError:
        return 0.0
    finally:
        os.close(descriptor)
        with contextlib.suppress(OSError):
            os.unlink(name)

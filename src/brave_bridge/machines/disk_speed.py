"""How fast a file system takes what is written to it: a short probe."""

import os
import secrets
import time

from brave_bridge.machines.opening.beneath import Beneath

_PROBE_BYTES = 16 << 20


def write_speed(folder: Beneath) -> float:
    """Bytes a second that the file system of a folder writes and syncs; 0 where it cannot."""
    block = os.urandom(1 << 20)
    try:
        with (folder / f".brave-bridge-probe-{secrets.token_hex(8)}").written_for_now() as stream:
            began = time.perf_counter()
            for _ in range(_PROBE_BYTES >> 20):
                stream.write(block)
            stream.flush()
            os.fsync(stream.fileno())
            return _PROBE_BYTES / (time.perf_counter() - began)
    except OSError:
        return 0.0

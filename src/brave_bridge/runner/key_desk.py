"""Handing a secret to a runner that waits for it: from memory to memory, through a socket.

The socket stands in the state folder, which its owner alone can enter, and is there only while
somebody waits. Who takes says whether it is of use, and never what it was.
"""

import contextlib
import os
import socket
import stat
import struct
import time
from collections.abc import Callable, Iterator

from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.port import State

_NAME = "key.sock"
_MOST_BYTES = 400
_CREDENTIALS = struct.Struct("3i")
_TALK_SECONDS = 5.0
_LOOK_SECONDS = 0.5

TAKEN = "taken"
"""What is said of a secret that is of use."""

WITHDRAWN = b"\0"
"""Handed in place of a secret by whoever gives none."""


class NobodyWaits(Exception):
    """No runner waits for a secret."""


@contextlib.contextmanager
def _address(state: State) -> Iterator[str]:
    """A name of the socket that is short enough for any folder (unix(7): 107 bytes)."""
    with state.here(_NAME).above.opened_folder() as folder:
        yield f"/proc/self/fd/{folder}/{_NAME}"


def somebody_waits(state: State) -> bool:
    """Whether a secret is waited for, as far as the folder shows."""
    try:
        status = state.here(_NAME).status()
    except OSError:
        return False
    return status is not None and stat.S_ISSOCK(status.st_mode)


def hand_over(state: State, secret: bytes) -> str:
    """Hand a secret to whoever waits: ``TAKEN``, or why it is of no use. NobodyWaits."""
    if len(secret) > _MOST_BYTES:
        return f"it is longer than {_MOST_BYTES} characters"
    try:
        with socket.socket(socket.AF_UNIX) as line, _address(state) as address:
            line.settimeout(_TALK_SECONDS)
            line.connect(address)
            line.sendall(secret)
            line.shutdown(socket.SHUT_WR)
            return _received(line).decode("utf-8", "replace") or "it went away without a word"
    except OSError as error:
        raise NobodyWaits(str(error)) from error


def take(
    state: State, limit_seconds: float, judge: Callable[[bytes], str], waiting: Callable[[], None]
) -> bytes | None:
    """Wait until a secret of use is handed over; None where it is withdrawn, or none comes.

    ``judge`` says why one is of no use, ``TAKEN`` where it is; ``waiting`` is called meanwhile.
    """
    place = state.here(_NAME)
    ends = time.monotonic() + limit_seconds
    with socket.socket(socket.AF_UNIX) as desk:
        _open(desk, state, place)
        try:
            while time.monotonic() < ends:
                waiting()
                with contextlib.suppress(OSError):
                    line, _ = desk.accept()
                    with line:
                        given = _judged(line, judge)
                    if given == WITHDRAWN:
                        return None
                    if given:
                        return given
        finally:
            place.remove()
    return None


def _open(desk: socket.socket, state: State, place: Beneath) -> None:
    place.remove()
    before = os.umask(0o177)
    try:
        with _address(state) as address:
            desk.bind(address)
    finally:
        os.umask(before)
    desk.listen(4)
    desk.settimeout(_LOOK_SECONDS)


def _judged(line: socket.socket, judge: Callable[[bytes], str]) -> bytes:
    """What was handed over; nothing where it is of no use, which whoever handed it is told."""
    line.settimeout(_TALK_SECONDS)
    _, user, _ = _CREDENTIALS.unpack(
        line.getsockopt(socket.SOL_SOCKET, socket.SO_PEERCRED, _CREDENTIALS.size)
    )
    if user not in (0, os.geteuid()):
        return b""
    given = _received(line)
    said = TAKEN if given == WITHDRAWN else judge(given)
    line.sendall(said.encode())
    return given if said == TAKEN else b""


def _received(line: socket.socket) -> bytes:
    """All that comes, as much as a secret or a sentence has."""
    pieces = b""
    while len(pieces) <= _MOST_BYTES and (piece := line.recv(_MOST_BYTES)):
        pieces += piece
    return pieces[:_MOST_BYTES]

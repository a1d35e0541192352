"""A network of its own for a system that runs here: it reaches what it is given, and no more.

What a system does to its network when it goes down (halt(8) takes links down) it does to that.
"""

import contextlib
import ctypes
import fcntl
import os
import socket
import struct
import subprocess
import threading
from collections.abc import Callable
from typing import TypeVar

_Made = TypeVar("_Made")
_CLONE_NEWNET = 0x40000000
_SIOCGIFFLAGS, _SIOCSIFFLAGS, _IFF_UP = 0x8913, 0x8914, 1
_HERE = "127.0.0.1"


class OwnNetwork:
    """A network namespace (network_namespaces(7)), kept until it is closed.

    ``reaches`` are ports of this machine's loopback that answer on its loopback as well.
    """

    def __init__(self, reaches: tuple[int, ...] = ()) -> None:
        tied = ["setpriv", "--pdeathsig", "KILL"]
        self._holder = subprocess.Popen(
            [*tied, "unshare", "--net", "sh", "-c", "echo made; exec cat"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
        )
        assert self._holder.stdout.readline() == b"made\n"
        self.path = f"/proc/{self._holder.pid}/ns/net"
        self.bring_up()
        self._listening = [self._within(lambda port=port: _listening(port)) for port in reaches]
        for listening in self._listening:
            threading.Thread(target=_relay, args=(listening,), daemon=True).start()

    def bring_up(self) -> None:
        """Bring its loopback up, as each boot does."""
        self._within(_bring_up)

    def close(self) -> None:
        """Let it go."""
        for listening in self._listening:
            with contextlib.suppress(OSError):
                listening.shutdown(socket.SHUT_RDWR)
            listening.close()
        self._holder.communicate()

    def _within(self, make: Callable[[], _Made]) -> _Made:
        """What a thread makes that works in this network: a socket stays where it was made."""
        made: list[_Made] = []

        def work() -> None:
            handle = os.open(self.path, os.O_RDONLY)
            try:
                if ctypes.CDLL(None, use_errno=True).setns(handle, _CLONE_NEWNET):
                    raise OSError(ctypes.get_errno(), "setns")
                made.append(make())
            finally:
                os.close(handle)

        thread = threading.Thread(target=work)
        thread.start()
        thread.join()
        (one,) = made
        return one


def _bring_up() -> None:
    """Set the loopback's flag (netdevice(7))."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as asking:
        known = fcntl.ioctl(asking, _SIOCGIFFLAGS, struct.pack("16sh22x", b"lo", 0))
        flags = struct.unpack_from("16sh", known)[1] | _IFF_UP
        fcntl.ioctl(asking, _SIOCSIFFLAGS, struct.pack("16sh22x", b"lo", flags))


def _listening(port: int) -> socket.socket:
    return socket.create_server((_HERE, port))


def _relay(listening: socket.socket) -> None:
    """Take what comes to the same port of this machine."""
    port = listening.getsockname()[1]
    while True:
        try:
            taken, _ = listening.accept()
            given = socket.create_connection((_HERE, port))
        except OSError:
            if listening.fileno() < 0:
                return
            continue
        for source, target in ((taken, given), (given, taken)):
            threading.Thread(target=_pass_on, args=(source, target), daemon=True).start()


def _pass_on(source: socket.socket, target: socket.socket) -> None:
    with contextlib.suppress(OSError):
        while piece := source.recv(1 << 16):
            target.sendall(piece)
    with contextlib.suppress(OSError):
        target.shutdown(socket.SHUT_WR)

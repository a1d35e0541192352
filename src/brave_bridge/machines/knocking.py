"""Knocking at what listens on a running machine: whoever listens may still not answer.

Nothing is sent, and nobody is woken: a port at which the service manager listens for somebody
else is left alone.
"""

import contextlib
import ipaddress
import selectors
import socket
import time
from collections.abc import Iterator
from typing import NamedTuple

from brave_bridge.core.survey.knock import OUTCOMES, REFUSES, SILENT, SPEAKS, TAKES
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.opening.named import kernel_text
from brave_bridge.machines.queries import Knocks

_LISTENS = "0A"
_TABLES = ("/proc/net/tcp", "/proc/net/tcp6")
_MOST = 200
"""Ports that are knocked at; a machine with more is told of these."""
_WAKING = ("systemd", "init", "inetd", "xinetd")


class Listener(NamedTuple):
    """A listening socket: the address to reach it by, its port, whether only from here, inode."""

    address: str
    port: int
    local: bool
    inode: str

    @property
    def name(self) -> str:
        """As the ports of a baseline are named."""
        return f"tcp {self.port}{' (local)' if self.local else ''}"


def listeners(table: str) -> Iterator[Listener]:
    """The listening sockets of /proc/net/tcp or tcp6 (proc_net(5)); what is no row is skipped."""
    for line in table.splitlines()[1:]:
        words = line.split()
        if len(words) < 10 or words[3] != _LISTENS:
            continue
        shown, _, number = words[1].rpartition(":")
        with contextlib.suppress(ValueError):
            raw = bytes.fromhex(shown)
            turned = b"".join(raw[at : at + 4][::-1] for at in range(0, len(raw), 4))
            address = ipaddress.ip_address(turned)
            reached = str(address)
            if address.is_unspecified:
                reached = "127.0.0.1" if address.version == 4 else "::1"
            yield Listener(reached, int(number, 16), address.is_loopback, words[9])


def knock(query: Knocks) -> dict[str, str]:
    """What each listening port of this machine does, by its name (``tcp 22``)."""
    woken = _sockets_that_wake()
    found = [one for one in _all_listeners() if one.inode not in woken][:_MOST]
    outcomes: dict[str, str] = {}
    for listener, outcome in _knocked(found, query).items():
        known = outcomes.get(listener.name, REFUSES)
        outcomes[listener.name] = max(known, outcome, key=OUTCOMES.index)
    return outcomes


def _all_listeners() -> Iterator[Listener]:
    for table in _TABLES:
        yield from listeners(kernel_text(table))


def _sockets_that_wake() -> set[str]:
    """Inodes of the sockets whose holder starts something for whoever knocks."""
    held: set[str] = set()
    for process in (name for name in Beneath("/proc").names() if name.isdigit()):
        if kernel_text(f"/proc/{process}/comm").strip() not in _WAKING:
            continue
        open_files = Beneath(f"/proc/{process}/fd")
        with contextlib.suppress(OSError):
            for number in open_files.names():
                target = (open_files / number).link()
                if target.startswith("socket:["):
                    held.add(target[8:-1])
    return held


def _knocked(found: list[Listener], query: Knocks) -> dict[Listener, str]:
    """Connect to all at once, and wait for a first word from those that took the connection."""
    outcomes = dict.fromkeys(found, SILENT)
    until = time.monotonic() + query.seconds
    with selectors.DefaultSelector() as selector:
        for listener in found:
            knocking = _begun(listener)
            if knocking is None:
                outcomes[listener] = REFUSES
            else:
                selector.register(knocking, selectors.EVENT_WRITE, (knocking, listener))
        try:
            _look_until(until, selector, outcomes)
            for key in list(selector.get_map().values()):
                knocking, listener = key.data
                if not _was_better(listener, outcomes, query.before):
                    selector.unregister(knocking)
                    knocking.close()
            _look_until(until + query.more_seconds, selector, outcomes)
        finally:
            for key in list(selector.get_map().values()):
                key.data[0].close()
    return outcomes


def _was_better(listener: Listener, outcomes: dict[Listener, str], before: dict[str, str]) -> bool:
    then = before.get(listener.name)
    return then in OUTCOMES and OUTCOMES.index(then) > OUTCOMES.index(outcomes[listener])


def _look_until(
    until: float, selector: selectors.BaseSelector, outcomes: dict[Listener, str]
) -> None:
    while selector.get_map() and (left := until - time.monotonic()) > 0:
        for key, _ in selector.select(left):
            knocking, listener = key.data
            _look(selector, key.events, knocking, listener, outcomes)


def _begun(listener: Listener) -> "socket.socket | None":
    kind = socket.AF_INET6 if ":" in listener.address else socket.AF_INET
    knocking = None
    try:
        knocking = socket.socket(kind, socket.SOCK_STREAM | socket.SOCK_NONBLOCK)
        with contextlib.suppress(BlockingIOError):
            knocking.connect((listener.address, listener.port))
    except OSError:
        if knocking is not None:
            knocking.close()
        return None
    return knocking


def _look(
    selector: selectors.BaseSelector,
    waited_for: int,
    knocking: socket.socket,
    listener: Listener,
    outcomes: dict[Listener, str],
) -> None:
    """A connection was taken or refused, or the other end spoke or hung up."""
    if waited_for == selectors.EVENT_WRITE:
        if knocking.getsockopt(socket.SOL_SOCKET, socket.SO_ERROR):
            outcomes[listener] = REFUSES
        else:
            outcomes[listener] = TAKES
            selector.modify(knocking, selectors.EVENT_READ, (knocking, listener))
            return
    else:
        with contextlib.suppress(OSError):
            if knocking.recv(1):
                outcomes[listener] = SPEAKS
    selector.unregister(knocking)
    knocking.close()

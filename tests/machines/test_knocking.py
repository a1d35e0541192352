"""Knocking at what listens: who speaks, takes, refuses, or does not answer; nobody is woken."""

import contextlib
import os
import socket
import threading

import pytest

from brave_bridge.core.survey.knock import SILENT, SPEAKS, TAKES
from brave_bridge.machines import knocking
from brave_bridge.machines.knocking import Listener, knock, listeners
from brave_bridge.machines.local import LocalMachine
from brave_bridge.machines.queries import Knocks

TABLE = """  sl  local_address rem_address   st tx_queue rx_queue tr tm->when retrnsmt uid inode
   0: 00000000:0016 00000000:0000 0A 00000000:00000000 00:00000000 00000000     0        0 16001 1
   1: 0100007F:0019 00000000:0000 0A 00000000:00000000 00:00000000 00000000     0        0 16002 1
   2: 0A0200C0:01BB 0B0200C0:C350 01 00000000:00000000 00:00000000 00000000     0        0 16003 1
   3: nonsense:0016 00000000:0000 0A 00000000:00000000 00:00000000 00000000     0        0 16004 1
   4: short
"""
TABLE_6 = """  sl  local_address
   0: 00000000000000000000000000000000:0050 0:0 0A 0:0 00:0 0 33 0 17001 1
   1: 00000000000000000000000001000000:0277 0:0 0A 0:0 00:0 0 33 0 17002 1
"""


def test_the_kernels_tables_are_read():
    assert list(listeners(TABLE)) == [
        Listener("127.0.0.1", 22, False, "16001"),
        Listener("127.0.0.1", 25, True, "16002"),
    ]
    assert list(listeners(TABLE_6)) == [
        Listener("::1", 80, False, "17001"),
        Listener("::1", 631, True, "17002"),
    ]
    assert [one.name for one in listeners(TABLE)] == ["tcp 22", "tcp 25 (local)"]


@contextlib.contextmanager
def only(monkeypatch, *servers: socket.socket):
    """Nothing but these listens here."""
    inodes = {str(os.fstat(server.fileno()).st_ino) for server in servers}
    found = [one for one in knocking._all_listeners() if one.inode in inodes]
    assert len(found) == len(servers)
    monkeypatch.setattr(knocking, "_all_listeners", lambda: iter(found))
    yield


@pytest.fixture
def server():
    with socket.create_server(("127.0.0.1", 0)) as made:
        yield made


def name(server: socket.socket) -> str:
    return f"tcp {server.getsockname()[1]} (local)"


def test_one_that_speaks_first_is_told_from_one_that_waits(server, monkeypatch):
    def greet() -> None:
        taken, _ = server.accept()
        taken.sendall(b"welcome\n")
        taken.close()

    threading.Thread(target=greet, daemon=True).start()
    with socket.create_server(("127.0.0.1", 0)) as quiet, only(monkeypatch, server, quiet):
        seen = LocalMachine().files.gather((Knocks(0.4),)).knocks
        assert seen == {name(server): SPEAKS, name(quiet): TAKES}


def test_one_that_takes_no_connection_does_not_answer(monkeypatch):
    with socket.create_server(("127.0.0.1", 0), backlog=0) as full:
        waiting = []
        for _ in range(4):
            one = socket.socket()
            one.setblocking(False)
            one.connect_ex(full.getsockname())
            waiting.append(one)
        with only(monkeypatch, full):
            assert knock(Knocks(0.4)) == {name(full): SILENT}
        for one in waiting:
            one.close()


def test_nobody_is_woken(server, monkeypatch):
    with only(monkeypatch, server):
        held = {str(os.fstat(server.fileno()).st_ino)}
        monkeypatch.setattr(knocking, "_sockets_that_wake", lambda: held)
        assert knock(Knocks(0.3)) == {}
    server.setblocking(False)
    with pytest.raises(BlockingIOError):
        server.accept()

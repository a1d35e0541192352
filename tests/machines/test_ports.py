"""The ports of a machine do the same under a folder, in memory and over a line."""

import hashlib
import os
import sys

import pytest

from brave_bridge.machines.agent.calling import Line
from brave_bridge.machines.agent.machine import AgentMachine
from brave_bridge.machines.agent.plain_file import agent_file
from brave_bridge.machines.kept_record import KeptRecord
from brave_bridge.machines.memory import MemoryMachine
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.machines.queries import Below, Contents, Links, Names, Stanzas, Sums
from brave_bridge.machines.tree import TreeMachine

FILES = {
    "/usr/lib/os-release": "ID=quayside\nVERSION_ID=6\n",
    "/etc/tide/one.conf": "level 1\n",
    "/etc/tide/two.conf": "level 2\n",
    "/etc/tide/big": "x" * 5000,
    "/var/lib/lists/main_Packages": "Package: tide\nVersion: 2\n\nPackage: buoy\nVersion: 1\n",
    "/var/log/boot.log": "ready\nfailed: buoy\nready\n",
}
LINKS = {
    "/etc/os-release": "../usr/lib/os-release",
    "/etc/current": "/etc/tide",
    "/etc/round": "/etc/round",
    "/etc/out": "../../../../etc/tide/one.conf",
}
QUERIES = (
    Contents(("/etc/os-release", "/etc/current/*.conf", "/etc/out", "/etc/none")),
    Contents(("/etc/tide/big",), 100),
    Contents(("/etc/tide/b*",), 10, cut=True),
    Contents(("/var/log/*",), containing=(b"failed",)),
    Names(("/etc/*", "/none/*")),
    Links(("/etc/*",)),
    Below(("/etc",), (".conf",)),
    Sums(("/etc/tide/one.conf",)),
    Stanzas(("/var/lib/lists/*",), frozenset({"buoy"}), ("Package", "Version")),
)


@pytest.fixture(params=["folder", "memory", "agent"])
def machine(request, tmp_path):
    """The same machine, reached in one of three ways."""
    if request.param == "memory":
        yield MemoryMachine("petrel", FILES, links=LINKS, kind="tree", folder=tmp_path)
        return
    root = tmp_path / "root"
    for path, text in FILES.items():
        (root / path.lstrip("/")).parent.mkdir(parents=True, exist_ok=True)
        (root / path.lstrip("/")).write_text(text)
    for path, target in LINKS.items():
        (root / path.lstrip("/")).symlink_to(target)
    if request.param == "folder":
        yield TreeMachine("petrel", root)
        return
    agent = tmp_path / "agent"
    agent.write_text(agent_file())
    line = Line("petrel", [sys.executable, "-I", "-S", str(agent), str(root), "petrel"])
    yield AgentMachine("petrel", line, tmp_path / "here")
    line.close()


def test_a_batch_of_queries_sees_the_same(machine: Machine):
    seen = machine.files.gather(QUERIES)
    assert seen.word("/etc/os-release").startswith("ID=quayside")
    assert sorted(p for p in seen.contents if "current" in p) == [
        "/etc/current/one.conf",
        "/etc/current/two.conf",
    ]
    assert seen.contents["/etc/out"] == b"level 1\n", "a link out of the root stays in it"
    assert seen.contents["/etc/tide/big"] == b"x" * 10
    assert seen.faults == {"/etc/tide/big": "longer than 100 bytes"}
    assert seen.contents["/var/log/boot.log"] == b"failed: buoy"
    kinds = {path: found.kind for path, found in seen.found.items()}
    assert kinds == {
        "/etc/current": "link",
        "/etc/os-release": "link",
        "/etc/out": "link",
        "/etc/round": "link",
        "/etc/tide": "folder",
    }
    assert seen.links == LINKS
    assert seen.below["/etc"] == ["/etc/tide/one.conf", "/etc/tide/two.conf"]
    assert seen.sums["/etc/tide/one.conf"][0] == hashlib.md5(b"level 1\n").hexdigest()
    assert [stanza.fields for stanza in seen.stanzas] == [{"Package": "buoy", "Version": "1"}]


def test_files_are_read_written_and_moved_the_same(machine: Machine):
    files = machine.files
    assert files.read("/etc/current/one.conf", 100) == b"level 1\n"
    assert files.read_if_there("/etc/none", 100) is None and not files.is_file("/etc/tide")
    with pytest.raises(MachineError, match="longer than 3 bytes"):
        files.read("/etc/tide/one.conf", 3)
    with pytest.raises(MachineError, match="reading /etc/none on petrel"):
        files.read("/etc/none", 3)
    files.write("/etc/current/new.conf", b"\x00\xff")
    assert files.read("/etc/tide/new.conf", 10) == b"\x00\xff"
    files.move("/etc/tide/new.conf", "/etc/tide/two.conf")
    assert files.matching("/etc/t*/*.conf") == ["/etc/tide/one.conf", "/etc/tide/two.conf"]
    assert files.read("/etc/tide/two.conf", 10) == b"\x00\xff"
    files.copy("/etc/tide/two.conf", "/etc/tide/deeper/three.conf")
    for _ in range(2):
        files.copy("/etc/tide/two.conf", "/etc/tide/one.conf")
    files.write("/etc/tide/two.conf", b"newer")
    for name in ("one", "deeper/three"):
        assert files.read(f"/etc/tide/{name}.conf", 10) == b"\x00\xff", "written to in one step"
    with pytest.raises(MachineError):
        files.copy("/etc/none", "/etc/tide/one.conf")
    assert "/etc/tide/deeper/three.conf" in files.below("/etc/tide")
    assert not [path for path in files.below("/etc") if ".brave-bridge" in path]
    files.remove("/etc/current")
    assert files.is_file("/etc/tide/one.conf"), "only the link goes"
    files.remove_folder("/etc/tide")
    assert files.below("/etc") == [] and files.matching("/usr/lib/os-release")


def test_state_is_kept_set_aside_and_held_the_same(machine: Machine):
    state = machine.state
    state.make()
    record: KeptRecord[list[int]] = KeptRecord("numbers.json", list[int], [])
    assert record.change(state, lambda known: [*known, 1]) == [1]
    assert record.change(state, lambda known: [*known, 2]) == [1, 2] == record.read(state)
    state.write("numbers.json", b"[1, tr")
    assert record.fault(state) and record.read(state) == []
    assert record.change(state, lambda known: [3]) == [3]
    aside = [name for name in state.names() if name.startswith("numbers.json.damaged-")]
    assert len(aside) == 1 and state.read(aside[0], 100) == b"[1, tr"
    held = state.hold("runner.lock")
    assert held is not None and state.is_held("runner.lock") and state.hold("runner.lock") is None
    held.close()
    assert not state.is_held("runner.lock")


def test_a_name_that_is_no_text_goes_over_the_line_as_it_is(tmp_path):
    root = tmp_path / "root"
    (root / "etc").mkdir(parents=True)
    with open(os.fsencode(root) + b"/etc/caf\xe9.conf", "w") as stream:
        stream.write("open")
    agent = tmp_path / "agent"
    agent.write_text(agent_file())
    line = Line("petrel", [sys.executable, "-I", "-S", str(agent), str(root), "petrel"])
    machine = AgentMachine("petrel", line, tmp_path / "here")
    [path] = machine.files.matching("/etc/*.conf")
    assert machine.files.read(path, 10) == b"open"
    assert machine.files.gather((Contents(("/etc/*",)),)).contents == {path: b"open"}
    line.close()


ANSWERS_LATE = """
import json, struct, sys
def send(value):
    frame = json.dumps(value).encode()
    sys.stdout.buffer.write(struct.pack("!I", len(frame)) + frame)
    sys.stdout.buffer.flush()
size = struct.unpack("!I", sys.stdin.buffer.read(4))[0]
sys.stdin.buffer.read(size)
send({"progress": [1]})
send({"value": "the first answer"})
"""


def test_a_call_that_was_cut_off_leaves_no_answer_for_the_next():
    line = Line("petrel", [sys.executable, "-c", ANSWERS_LATE])

    def stop(done):
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        line.call("files", "first", kind=str, tell=stop)
    with pytest.raises(MachineError, match="the agent gave no answer"):
        line.call("files", "second", kind=str)
    line.close()

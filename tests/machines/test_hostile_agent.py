"""The far side of a line is hostile: what it says is bounded, of a known shape, and waited for."""

import base64
import io
import json
import struct
import sys
import time
import tracemalloc

import pytest

from brave_bridge.machines.agent import calling
from brave_bridge.machines.agent.calling import Line
from brave_bridge.machines.agent.machine import AgentFiles, AgentState
from brave_bridge.machines.agent.serving import ALIVE, Agent
from brave_bridge.machines.agent.wire import WireError, receive, send
from brave_bridge.machines.port import MachineError

SAYS = """
import sys, time
said = open(sys.argv[1], 'rb')
sys.stdin.buffer.read(1)
for piece in iter(lambda: said.read(1 << 20), b''):
    sys.stdout.buffer.write(piece)
sys.stdout.buffer.flush()
if sys.argv[2] == 'stays':
    time.sleep(600)
"""


def frame(value: object) -> bytes:
    content = value if isinstance(value, bytes) else json.dumps(value).encode()
    return struct.pack("!I", len(content)) + content


@pytest.fixture
def line_that_says(tmp_path):
    lines = []

    def made(*frames: object, stays: bool = False) -> Line:
        said = tmp_path / f"said-{len(lines)}"
        said.write_bytes(b"".join(map(frame, frames)))
        argv = [sys.executable, "-c", SAYS, str(said), "stays" if stays else "goes"]
        lines.append(Line("heron", argv))
        return lines[-1]

    yield made
    for line in lines:
        line._process.kill()
        line.close()


SHAPES = (
    [],
    "text",
    7,
    {},
    {"fault": "no list"},
    {"fault": ["one"]},
    {"fault": [1, 2, 3, 4]},
    {"fault": None},
    {"progress": 5},
    {"progress": [{"more": 1}]},
    {"value": {"base64": 7}},
    {"value": {"base64": "?"}},
    {"value": {"pairs": [[{"a": 1}, 2]]}},
    {"value": {"pairs": [1]}},
    {"value": "no bytes at all"},
    {"alive": "perhaps"},
    b"\xff\xfe",
    b"",
)


@pytest.mark.parametrize("said", SHAPES, ids=range(len(SHAPES)))
def test_a_frame_of_another_shape_is_a_fault_of_the_machine(line_that_says, said):
    with pytest.raises(MachineError, match="the agent gave no answer"):
        AgentFiles(line_that_says(said)).read("/etc/hosts", 100)


def test_no_more_is_read_than_was_asked_for(line_that_says, tmp_path):
    large = {"value": {"base64": base64.b64encode(bytes(30_000_000)).decode()}}
    files = AgentFiles(line_that_says(large))
    tracemalloc.start()
    try:
        with pytest.raises(MachineError, match="a frame of"):
            files.read("/etc/hosts", 100)
        assert tracemalloc.get_traced_memory()[1] < 2_000_000
    finally:
        tracemalloc.stop()
    state = AgentState(line_that_says(large), "heron", "there", tmp_path / "here")
    with pytest.raises(MachineError, match="a frame of"):
        state.read("decisions.json", 1000)


def test_who_is_silent_is_not_waited_for_for_ever(line_that_says, monkeypatch):
    monkeypatch.setattr(calling, "SILENT_SECONDS", 0.3)
    with pytest.raises(MachineError, match="it has said nothing for"):
        AgentFiles(line_that_says(stays=True)).read("/etc/hosts", 100)
    cut = line_that_says(stays=True)
    cut._hand.write(b"x")
    with pytest.raises(MachineError, match="it has taken nothing for"):
        AgentFiles(cut).write("/etc/hosts", bytes(5_000_000))


def test_who_works_and_says_so_is_waited_for(line_that_says):
    said = [ALIVE, {"progress": [1, 2]}, ALIVE, {"value": {"base64": "dGlkZQ=="}}]
    assert AgentFiles(line_that_says(*said)).read("/etc/hosts", 100) == b"tide"


class Slow:
    def work(self, seconds: float) -> str:
        ends = time.monotonic() + seconds
        while time.monotonic() < ends:
            time.sleep(0.01)
        return "done"


def test_an_agent_says_that_it_works(monkeypatch):
    monkeypatch.setattr("brave_bridge.machines.agent.serving.PULSE_SECONDS", 0.05)
    call = {"service": "slow", "method": "work", "arguments": [0.3], "named": {}}
    voice = io.BytesIO()
    Agent({"slow": Slow()}, lambda method, given, named: (given, named)).serve(
        io.BytesIO(frame(call)), voice
    )
    voice.seek(0)
    heard = list(iter(lambda: receive(voice), None))
    assert (
        heard[-1] == {"value": "done"} and heard[:-1] and set(map(str, heard[:-1])) == {str(ALIVE)}
    )


DEEP = {
    "lists": b"[" * 1_000_000,
    "closed": b"[" * 500 + b"]" * 500,
    "records": b'{"a":' * 200 + b"1" + b"}" * 200,
    "pairs": b'{"pairs":[[' * 90 + b"1" + b",1]]}" * 90,
}


@pytest.mark.parametrize("content", DEEP.values(), ids=DEEP)
def test_what_nests_deeper_than_anything_of_ours_is_not_decoded(content):
    with pytest.raises(WireError, match="levels"):
        receive(io.BytesIO(frame(content)))


def test_brackets_in_texts_are_no_levels():
    stream = io.BytesIO()
    value = {"a": ["[" * 200, '"\\[{', {"b": [[[1]]]}], "bytes": b"[[" * 90}
    send(stream, value)
    stream.seek(0)
    assert receive(stream) == value

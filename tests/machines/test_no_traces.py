"""A process that is about to hold a secret leaves nothing of its memory on a disk."""

import resource
import subprocess
import sys

import pytest

ASKS = """
import ctypes, os, resource, sys
resource.setrlimit(resource.RLIMIT_CORE, resource.getrlimit(resource.RLIMIT_CORE)[1:] * 2)
{}
print(resource.getrlimit(resource.RLIMIT_CORE)[0], ctypes.CDLL(None).prctl(3, 0, 0, 0, 0))
"""

BY_COMMAND = """
from brave_bridge.cli.key_entry import KeyEntry
from brave_bridge.workbench.refusal import Refused
try:
    KeyEntry()._judged("edition crew", lambda typed: None)
except Refused:
    pass
"""

BY_SCREEN = """
import asyncio
from textual.app import App
from brave_bridge.tui.key_dialog import EnterKey

class Asks(App):
    CSS = "EnterKey {{ align: center middle; }}"

async def asked():
    app = Asks()
    async with app.run_test() as pilot:
        app.push_screen(EnterKey("a key", lambda typed: None))
        await pilot.pause()

asyncio.run(asked())
"""


@pytest.mark.parametrize("asks", [BY_COMMAND, BY_SCREEN], ids=["command", "screen"])
def test_who_types_a_key_leaves_no_core(asks):
    assert resource.getrlimit(resource.RLIMIT_CORE)[1] != 0, "a core could be dumped here"
    for code, dumps in ((asks.replace("{{", "{").replace("}}", "}"), False), ("", True)):
        said = subprocess.run(
            [sys.executable, "-c", ASKS.format(code)],
            stdin=subprocess.DEVNULL,
            capture_output=True,
            text=True,
            check=True,
        )
        limit, dumpable = said.stdout.split()[-2:]
        assert (limit != "0", dumpable == "1") == (dumps, dumps), said.stdout

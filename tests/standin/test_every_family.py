"""Other families' machines from survey to return, by the command line with real runners.

Those of packages have ``test_command_line``.
"""

import json
import os
import pty
import select
import subprocess
import sys
import time

import pytest

from brave_bridge.core.licensed.key import grouped
from tests.support.commands import run_command
from tests.support.keys import CREW, MATE
from tests.support.runs import contents

PROGRAM = [sys.executable, "-c", "from brave_bridge.cli.entry import main; main()"]
WAYS = [
    ("puffin", "8.4", "", ("8.4-rc2", "8.4")),
    ("razorbill", "8.5", "", ("8.4", "8.5")),
    ("fulmar", "edition:crew", CREW, ("Trial", "Crew")),
    ("whimbrel", "11", "", ("10", "11")),
    ("whimbrel", "edition:mate", MATE, ("Deckhand", "Mate")),
]


@pytest.fixture
def ask(demo_world, tmp_path):
    """A command on a copy of a demo machine, as JSON; the document that it prints."""

    def ask(name: str, *words: str, code: int = 0, key: str = "") -> dict:
        home = tmp_path / "brave-bridge/demo"
        if not home.is_dir():
            home.mkdir(parents=True)
            for part in ("archives", name, "ready"):
                subprocess.run(["cp", "-a", demo_world / part, home], check=True)
        ear, mouth = os.pipe()
        os.write(mouth, f"{grouped(key)}\n".encode())
        os.close(mouth)
        more = ("--key-fd", str(ear)) if key else ()
        homes = {"XDG_STATE_HOME": str(tmp_path), "HOME": str(tmp_path)}
        line = ["--demo", name, *words, *more, "--json"]
        done = run_command(line, environment={**os.environ, **homes})
        os.close(ear)
        assert done.returncode == code, (words, done.stdout[-2000:], done.stderr)
        assert not key or key not in done.stdout + done.stderr
        return json.loads(done.stdout)

    ask.home = tmp_path / "brave-bridge/demo"
    return ask


@pytest.mark.parametrize(("name", "to", "key", "ends"), WAYS, ids=lambda value: str(value)[:16])
def test_it_goes_across_and_back(ask, name, to, key, ends):
    survey = ask(name, "survey", "--to", to)
    for finding in survey["findings"]:
        if finding["verdict"] == "stop":
            ask(name, "overrule", finding["id"], "--reason", "the office knows")
    before = contents(ask.home / name)
    assert ask(name, "route", "--to", to)["legs"]
    plan = ask(name, "plan", "--to", to)
    assert plan["hash"]
    outcome = ask(name, "cross", "--to", to, "--yes", key=key)
    assert outcome["state"] == "done", outcome
    proof = ask(name, "proof")
    assert proof["passed"], proof
    told = {point["subject"]: (point["before"], point["after"]) for point in proof["differences"]}
    assert any(pair[0].startswith(ends[0]) for pair in told.values()), told
    here = ask(name, "survey")
    assert here["counts"]["stop"] == 0 or name == "whimbrel"
    way_back = outcome["outcome"]["ways_back"][0]
    returned = ask(name, "return", way_back, "--yes", "--reason", "it was better")
    assert returned["state"] == "done", returned
    assert contents(ask.home / name) == before


def test_a_profile_that_has_no_driver_is_a_stop(ask):
    refused = ask("razorbill", "plan", "--to", "profile:bare", code=1)
    assert "0000:02:00.0 (tide_net)" in refused["why"] and "full" in refused["remedy"]


def test_keys_of_no_use_begin_nothing(ask):
    mistyped = CREW.replace("8", "B", 1)
    refused = ask("fulmar", "cross", "--to", "edition:crew", "--yes", code=1, key=mistyped)
    assert "mistyped" in refused["why"] and "B may be 8" in refused["why"]
    refused = ask("fulmar", "cross", "--to", "edition:crew", "--yes", code=1)
    assert "the key of edition Crew is needed" in refused["why"]
    assert ask("fulmar", "logbook")["procedures"] == []
    refused = ask("fulmar", "give-key", code=1, key=CREW)
    assert "waits for one now" in refused["why"]


def test_what_an_upgrade_kept_is_gone_back_to(ask):
    ask("whimbrel", "overrule", "security-chip", "--reason", "the office knows")
    ask("whimbrel", "plan", "--to", "11")
    ask("whimbrel", "cross", "--yes")
    kept = ask("whimbrel", "kept-system")
    assert (kept["kept"]["version"], kept["days_left"]) == ("10", 10)
    ask("whimbrel", "kept-system", "--go-back", "--reason", "labels print upside down", "--yes")
    assert ask("whimbrel", "survey")["release"]["version"] == "10"


def test_at_a_terminal_the_key_is_typed_unseen_and_a_misreading_is_pointed_at(ask, tmp_path):
    ask("fulmar", "plan")
    child, terminal = pty.fork()
    if child == 0:
        os.environ.update(XDG_STATE_HOME=str(tmp_path), HOME=str(tmp_path))
        os.execv(sys.executable, [*PROGRAM, "--demo", "fulmar", "cross"])
    shown = b""

    def until(words: bytes, times: int = 1) -> None:
        nonlocal shown
        ends = time.monotonic() + 120
        while shown.count(words) < times:
            assert time.monotonic() < ends, shown[-2000:]
            if select.select([terminal], [], [], 0.2)[0]:
                shown += os.read(terminal, 4096)

    def type_in(words: str) -> None:
        os.write(terminal, f"{words}\n".encode())

    until(b"[y/N]")
    type_in("y")
    until(b"Key of edition Crew")
    type_in(grouped(CREW.replace("8", "B", 1)))
    until(b"B may be 8")
    # The terminal shows nothing from the moment that it asks.
    until(b"nothing is shown", times=2)
    type_in(grouped(CREW))
    until(b"Restart the machine now?")
    until(b"empty for restart it now]")
    type_in("")
    until(b"as good as before")
    assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 0
    assert CREW.encode() not in shown and grouped(CREW).encode() not in shown

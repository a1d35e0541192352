"""What holds for every command: JSON, a place in the help, completion, the manual page."""

import inspect
import json
import os
import shutil
import subprocess
import sys

import pytest
import typer
from bench.hostile import commands_left

from brave_bridge.cli.application import app
from brave_bridge.cli.groups import SECTIONS
from brave_bridge.cli.manual import manual_page
from brave_bridge.cli.names import VARIABLE
from brave_bridge.cli.running import run
from brave_bridge.cli.table import BEGINNING, MODULES, command_in, load_commands

load_commands()
APP = typer.main.get_command(app)
pytestmark = pytest.mark.xdist_group("every command")
SCREENS = {"demo"}
"""What opens the screen prints nothing."""


def commands(group=APP, before=()):
    """Every command, as its words and itself."""
    for name, command in group.commands.items():
        if hasattr(command, "commands"):
            yield from commands(command, (*before, name))
        else:
            yield (*before, name), command


EVERY = dict(commands())


@pytest.fixture(scope="module")
def fleet(demo_world, tmp_path_factory):
    home = tmp_path_factory.mktemp("fleet")
    shutil.copytree(demo_world, home / "brave-bridge/demo", symlinks=True)
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("XDG_STATE_HOME", str(home))
        patch.chdir(home)
        yield ["--demo", "petrel"]


def callbacks():
    """The function of each command at the top, by its name; a group's is that of its first."""
    found = {c.name or c.callback.__name__.replace("_", "-"): c for c in app.registered_commands}
    for group in app.registered_groups:
        found[group.name] = group.typer_instance.registered_commands[0]
    return {name: command.callback for name, command in found.items()}


def test_the_table_of_commands_is_that_of_their_modules():
    known = {name: call.__module__.rpartition(".")[2] for name, call in callbacks().items()}
    assert {name: module for module, names in MODULES.items() for name in names} == known


def test_those_that_begin_something_are_known_before_anything_is_loaded():
    begins = {
        name
        for name, call in callbacks().items()
        if any(word in inspect.getsource(call) for word in ("desk_to_begin_at", "begins="))
    }
    assert begins == BEGINNING


def test_each_is_tried_with_hostile_files():
    assert commands_left() == set()


def test_a_command_is_found_behind_the_options_of_the_target():
    assert command_in(["--tree", "snapshot", "survey", "--json"]) == "survey"
    assert command_in(["--tree=/snapshot", "return"]) == "return"
    assert command_in(["--version"]) == command_in([]) == command_in(["--tree"]) == ""


def test_a_command_line_loads_no_other_commands():
    code = (
        "import sys; from brave_bridge.cli.running import run\n"
        "try: run(['snapshot', '--help'])\nexcept SystemExit: pass\n"
        "print([m for m in sys.modules if m.endswith('_commands') or 'runner.performer' in m])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.splitlines()[-1] == "['brave_bridge.cli.way_back_commands']"


@pytest.mark.parametrize("words", sorted(EVERY), ids=" ".join)
def test_each_has_json_a_line_of_help_and_a_place_in_the_order_of_the_work(words):
    command = EVERY[words]
    names = {name for parameter in command.params for name in parameter.opts}
    assert "--json" in names or words[0] in SCREENS
    assert command.help and "\n.TP\n" in "\n".join(manual_page())
    assert f"\\fB{' '.join(words)}".replace("-", "\\-") in "\n".join(manual_page())
    placed = {name for section in SECTIONS.values() for name in section}
    assert words[0] in placed | {"completion", "manual"}


@pytest.mark.parametrize(
    "words",
    [
        "survey",
        "route",
        "track",
        "tasks",
        "releases check",
        "sources",
        "policies",
        "window",
        "window 22:00-02:00",
        "maintenance",
        "maintenance --enter true --leave true",
        "confirm-backup",
        "ways-back",
        "logbook",
        "keep",
        "cover",
        "card",
        "card --text",
        "note add --severity note A-gauge-sticks",
        "note list",
        "note lift 1 --reason mended",
        "overrule pending-updates --reason later",
        "uphold pending-updates",
        "pin newest --reason x",
        "unpin newest",
        "deadline newest +9 --reason x",
        "expire --dry-run",
        "draw support",
        "draw fleet",
        "draw topics",
        "draw route --all",
        "draw ways-back --machine petrel",
        "draw proof",
        "report",
        "rest",
        "go-on",
        "proof",
        "completion fish",
        "manual",
        "put-back newest /etc/nothing --yes",
        "return newest --preview",
        "delete newest --yes",
    ],
)
def test_each_prints_one_document(fleet, words, capsys):
    """Also where it is refused: then the document says so."""
    code = run([*fleet, *words.split(), "--json"])
    document = json.loads(capsys.readouterr().out)
    assert document["schema"] == 1
    assert (document["kind"] == "error") == (code == 1), document


OF_A_WAY_BACK = sorted(
    " ".join(words)
    for words, command in EVERY.items()
    for parameter in command.params[:1]
    if parameter.metavar == "ID"
)


@pytest.mark.parametrize("words", OF_A_WAY_BACK)
def test_a_way_back_that_is_none_is_refused_with_those_that_are(fleet, words, capsys):
    more = {"put-back": ["/etc/motd"], "deadline": ["+9"]}.get(words, [])
    assert run([*fleet, words, "none-such", *more, "--json"]) == 1
    document = json.loads(capsys.readouterr().out)
    assert document["kind"] == "error" and "none-such" in document["what"]
    assert len(OF_A_WAY_BACK) > 7


def asked(words: str, shell: str, **environment: str) -> list[str]:
    """What a shell is told that asks with a line."""
    told = {
        "COMP_WORDS": words,
        "COMP_CWORD": str(len(words.split(" ")) - 1),
        VARIABLE: f"complete_{shell}",
        **environment,
    }
    done = subprocess.run(
        [sys.executable, "-m", "brave_bridge.cli.entry"],
        capture_output=True,
        text=True,
        check=False,
        env={**os.environ, **told},
    )
    return done.stdout.split()


def test_a_shell_is_told_commands_machines_releases_rules_and_ways_back(fleet):
    assert asked("brave-bridge ways", "bash") == ["ways-back"]
    assert "petrel" in asked("brave-bridge --demo p", "bash")
    assert asked("brave-bridge --demo petrel plan --to ", "bash")[:2] == ["6", "7"]
    assert "pending-updates" in asked("brave-bridge --demo petrel overrule pend", "bash")
    assert asked("brave-bridge --demo petrel verify new", "bash") == ["newest"]
    assert asked("brave-bridge --tree /nowhere plan --to ", "bash") == []


def test_nothing_is_coloured_into_a_pipe(fleet, capsys):
    assert run([*fleet, "survey"]) == 0
    assert "\x1b" not in capsys.readouterr().out

"""What all commands share: the target, the options, confirming, watching to the end.

Exit codes: 0 done; 1 refused, or stopped by a finding with nothing changed; 2 bad usage;
3 failed part-way, the way back is named; 4 not ended: it rests, or goes on unwatched.
"""

import json
import sys
from collections.abc import Iterable
from enum import StrEnum
from typing import Annotated, Any

import typer

from brave_bridge import __version__
from brave_bridge.cli import documents, texts
from brave_bridge.cli.completion import machines, releases
from brave_bridge.cli.follow import RunnerGone, Tend, follow, nothing_to_tend
from brave_bridge.cli.groups import GroupedByWork
from brave_bridge.cli.opening import open_screen
from brave_bridge.cli.ready import load_runner
from brave_bridge.core.formats.text import plain
from brave_bridge.machines.aside import can_be_copied
from brave_bridge.runner.ready_runner import ReadyRunner
from brave_bridge.store.rows import ProcedureRow
from brave_bridge.workbench.decisions import keep_way
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.targets import Target

DONE, REFUSED, FAILED, NOT_ENDED = 0, 1, 3, 4

app = typer.Typer(
    cls=GroupedByWork,
    no_args_is_help=False,
    add_completion=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    help=(
        "Take machines from one operating-system release to the next, with a way back.\n\n"
        "Without a command the screen opens: on this machine, on a tree with --tree DIR, or "
        "on the demo fleet with the command demo."
    ),
    epilog=(
        "Exit codes: 0 done; 1 refused, or stopped by a finding with nothing changed; "
        "2 bad usage; 3 failed part-way (the way back is named); 4 not ended: it rests, or "
        "goes on without this terminal."
    ),
)

Json = Annotated[bool, typer.Option("--json", help="Print JSON (fields: docs/json.md).")]


KeyFd = Annotated[
    int | None,
    typer.Option(
        "--key-fd", help="Read the licence key from this descriptor, as in --key-fd 3 3<FILE."
    ),
]


class Ways(StrEnum):
    """The two ways that a machine can take to a release."""

    SHORTEST = "shortest"
    SAFEST = "safest"


Way = Annotated[
    Ways, typer.Option("--way", help="Take the shortest or the safest way, from now on.")
]
To = Annotated[
    str,
    typer.Option(
        "--to", help="The release to go to: version or codename.", autocompletion=releases
    ),
]
Yes = Annotated[bool, typer.Option("--yes", help="Ask nothing: take every default.")]
Theirs = Annotated[
    list[str], typer.Option("--theirs", help="Take the new version of this config file.")
]
Protect = Annotated[
    list[str], typer.Option("--protect", help="This package stays, whatever that costs others.")
]
Exclude = Annotated[
    list[str], typer.Option("--exclude", help="This package does not come or change.")
]
LetGo = Annotated[list[str], typer.Option("--let-go", help="This package may go away.")]
Remove = Annotated[list[str], typer.Option("--remove", help="This package goes away.")]
Add = Annotated[list[str], typer.Option("--add", help="This package comes.")]
Choose = Annotated[
    list[str],
    typer.Option("--choose", help="Answer a choice that the plan names.", metavar="KEY=ANSWER"),
]
Files = Annotated[str, typer.Option("--files", help="Write it as files into this folder, too.")]


class _Context:
    """The target that the words before the command name."""

    def __init__(self, target: Target, ready: ReadyRunner | None) -> None:
        self.target, self._ready = target, ready

    def desk(self) -> Desk:
        return Desk(self.target)

    def desk_to_begin_at(self) -> Desk:
        """A desk at which something is about to begin: its runner loads meanwhile."""
        ready, self._ready = self._ready, None
        if ready is None and can_be_copied():
            ready = ReadyRunner(load_runner)
        desk = self.desk()
        desk.ready = ready
        return desk


@app.callback(invoke_without_command=True)
def _target(
    context: typer.Context,
    tree: Annotated[str, typer.Option("--tree", help="A mounted root tree.")] = "",
    demo: Annotated[
        str,
        typer.Option("--demo", help="A machine of the demo fleet.", autocompletion=machines),
    ] = "",
    version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False,
) -> None:
    if version:
        print(f"brave-bridge {__version__}")
        raise typer.Exit
    if tree and demo:
        raise typer.BadParameter("--tree and --demo exclude each other")
    kind, value = ("tree", tree) if tree else ("demo", demo) if demo else ("local", "")
    context.obj = _Context(Target(kind, value), context.obj)
    if context.invoked_subcommand is None:
        raise typer.Exit(open_screen(context.obj.target.words))


def print_document(json_wanted: bool, document: dict[str, Any], lines: Iterable[str]) -> None:
    if json_wanted:
        json.dump(document, sys.stdout, indent=1, ensure_ascii=True)
        print()
    else:
        for line in lines:
            say(line)


def say(line: str) -> None:
    """Print a line, now. Whatever of it a machine says: a terminal gets no control codes."""
    print(plain(line), flush=True)


def print_said(json_wanted: bool, kind: str, *lines: str, **fields: Any) -> None:
    """What a command did, in sentences; as JSON with the fields that say the same."""
    print_document(json_wanted, documents.document(kind, said=list(lines), **fields), lines)


def keep_wanted_way(desk: Desk, way: Ways | None) -> None:
    """Keep the way that the command line names, if it names one."""
    if way is not None:
        desk.must_read_records()
        keep_way(desk.machine, safest=way is Ways.SAFEST)


def confirm(yes: bool, question: str) -> None:
    if yes:
        return
    if not sys.stdin.isatty():
        raise Refused("going on unasked", "there is nobody to ask here", "confirm with --yes")
    if not typer.confirm(question, err=True):
        raise Refused("going on", "you said no", "nothing was changed")


def follow_to_end(
    desk: Desk,
    procedure: str,
    json_wanted: bool,
    *,
    ask: bool,
    tend: Tend = nothing_to_tend,
    since: int = 0,
) -> None:
    """Watch until a procedure ends or rests, and leave with the code that says how."""
    end_with(watch(desk, procedure, json_wanted, ask=ask, tend=tend, since=since), json_wanted)


def watch(
    desk: Desk,
    procedure: str,
    json_wanted: bool,
    *,
    ask: bool,
    tend: Tend = nothing_to_tend,
    since: int = 0,
) -> ProcedureRow:
    """Watch until a procedure ends or rests; its row. ``since``: see follow."""
    told = (lambda line: None) if json_wanted else say
    try:
        return follow(desk, procedure, told, ask=ask, tend=tend, since=since)
    except KeyboardInterrupt:
        print(
            "\nIt goes on without this terminal. Watch it again: brave-bridge go-on",
            file=sys.stderr,
        )
        raise typer.Exit(NOT_ENDED) from None
    except RunnerGone:
        raise Refused(
            "following",
            "the runner ended without an outcome",
            "brave-bridge go-on continues where it stood",
        ) from None


def end_with(row: ProcedureRow, json_wanted: bool) -> None:
    """Print how a procedure ended and leave with the code that says so."""
    print_document(
        json_wanted,
        documents.document("outcome", **documents.procedure(row)),
        texts.outcome_text(row),
    )
    raise typer.Exit(code_of(row))


def code_of(row: ProcedureRow) -> int:
    """The exit code that tells how a procedure stands; only what is done is 0."""
    if row.outcome is None:
        return NOT_ENDED if row.state in ("running", "resting") else FAILED
    if row.outcome.state == "done":
        return DONE if row.outcome.proof is None or row.outcome.proof.passed else FAILED
    changed = row.outcome.state == "failed" or row.outcome.legs_done
    return FAILED if changed else REFUSED

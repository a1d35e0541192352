"""The command line: ``brave-bridge [--tree DIR | --demo NAME] COMMAND``.

Exit codes: 0 done; 1 refused, or stopped by a finding with nothing changed; 2 bad usage;
3 failed part-way, the way back is named.
"""

import json
import sys
from collections.abc import Iterable
from typing import Annotated, Any

import typer

from brave_bridge import __version__
from brave_bridge.cli import shapes, texts
from brave_bridge.cli.follow import RunnerGone, follow
from brave_bridge.cli.opening import open_screen
from brave_bridge.machines.port import MachineError
from brave_bridge.store.logbook import LogbookError, ProcedureRow
from brave_bridge.workbench.desk import Desk, Refused
from brave_bridge.workbench.lines import CatalogueError
from brave_bridge.workbench.pages.ways_back import preview_lines
from brave_bridge.workbench.targets import Target

DONE, REFUSED, FAILED = 0, 1, 3

app = typer.Typer(
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
        "2 bad usage; 3 failed part-way (the way back is named)."
    ),
)

Json = Annotated[bool, typer.Option("--json", help="Print JSON (fields: docs/json.md).")]
To = Annotated[str, typer.Option("--to", help="The release to go to: version or codename.")]
Yes = Annotated[bool, typer.Option("--yes", help="Ask nothing: take every default.")]
Theirs = Annotated[
    list[str], typer.Option("--theirs", help="Take the new version of this config file.")
]


class _Context:
    """The target that the words before the command name."""

    def __init__(self, target: Target) -> None:
        self.target = target

    def desk(self) -> Desk:
        return Desk(self.target)


@app.callback(invoke_without_command=True)
def _target(
    context: typer.Context,
    tree: Annotated[str, typer.Option("--tree", help="A mounted root tree.")] = "",
    demo: Annotated[str, typer.Option("--demo", help="A machine of the demo fleet.")] = "",
    version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False,
) -> None:
    if version:
        print(f"brave-bridge {__version__}")
        raise typer.Exit
    if tree and demo:
        raise typer.BadParameter("--tree and --demo exclude each other")
    kind, value = ("tree", tree) if tree else ("demo", demo) if demo else ("local", "")
    context.obj = _Context(Target(kind, value))
    if context.invoked_subcommand is None:
        raise typer.Exit(open_screen(context.obj.target.words))


def _print(json_wanted: bool, document: dict[str, Any], lines: Iterable[str]) -> None:
    if json_wanted:
        json.dump(document, sys.stdout, indent=1, ensure_ascii=True)
        print()
    else:
        for line in lines:
            print(line)


@app.command()
def survey(context: typer.Context, to: To = "", json: Json = False) -> None:
    """Read the machine's facts and judge how ready it is."""
    desk = context.obj.desk()
    surveyed = desk.survey(to)
    _print(json, shapes.survey_document(surveyed, desk.today()), texts.survey_text(surveyed))


@app.command()
def route(context: typer.Context, to: To = "", json: Json = False) -> None:
    """Show the supported way to a release, and why there is no shorter one."""
    found = context.obj.desk().route(to)
    _print(json, shapes.route_document(found), texts.route_text(found))
    if not found.legs:
        raise typer.Exit(REFUSED)


def _decided(desk: Desk, kept, theirs: list[str]):
    for path in theirs:
        kept = desk.answer_plan(kept, path, "theirs")
    return kept


@app.command()
def plan(
    context: typer.Context,
    to: To = "",
    theirs: Theirs = None,
    json: Json = False,
) -> None:
    """Compute what each leg would change; nothing of the machine's sources is touched."""
    if theirs is None:
        theirs = []
    desk = context.obj.desk()
    tell = None if json else (lambda title: print(f"· {title}", file=sys.stderr))
    kept = _decided(desk, desk.plan(to, tell), theirs)
    _print(json, shapes.plan_document(kept), texts.plan_text(kept))


@app.command()
def snapshot(
    context: typer.Context,
    reason: Annotated[str, typer.Option("--reason", help="Why, for the record.")] = "by hand",
    json: Json = False,
) -> None:
    """Take a snapshot as a way back."""
    taken = context.obj.desk().snapshot(reason)
    _print(json, shapes.document("snapshot", **shapes.way_back(taken)), texts.snapshot_text(taken))


@app.command()
def cross(
    context: typer.Context,
    to: To = "",
    yes: Yes = False,
    theirs: Theirs = [],  # noqa: B006
    json: Json = False,
) -> None:
    """Cross to a release: way back, sources, download, two stages, proof."""
    desk = context.obj.desk()
    facts = desk.survey(to).facts
    kept = _decided(desk, desk.kept_plan(facts, to) or desk.plan(to), theirs)
    if not json:
        _print(False, {}, texts.plan_text(kept))
    _confirm(yes, f"Cross {desk.machine.name} to {kept.legs[-1].leg.end.title}?")
    procedure = desk.begin_crossing(kept, unattended=yes)
    _follow_to_end(desk, procedure, json, ask=not yes)


def _confirm(yes: bool, question: str) -> None:
    if yes:
        return
    if not sys.stdin.isatty():
        raise Refused("going on unasked", "there is nobody to ask here", "confirm with --yes")
    if not typer.confirm(question):
        raise Refused("going on", "you said no", "nothing was changed")


def _follow_to_end(desk: Desk, procedure: str, json_wanted: bool, *, ask: bool) -> None:
    say = (lambda line: None) if json_wanted else print
    try:
        row = follow(desk, procedure, say, ask=ask)
    except KeyboardInterrupt:
        print(
            "\nIt goes on without this terminal. Watch it again: brave-bridge go-on",
            file=sys.stderr,
        )
        raise typer.Exit(DONE) from None
    except RunnerGone:
        raise Refused(
            "following",
            "the runner ended without an outcome",
            "brave-bridge go-on continues where it stood",
        ) from None
    _print(
        json_wanted, shapes.document("outcome", **shapes.procedure(row)), texts.outcome_text(row)
    )
    raise typer.Exit(_code_of(row))


def _code_of(row: ProcedureRow) -> int:
    if row.outcome is None:
        return DONE
    if row.outcome.state == "done":
        return DONE if row.outcome.proof is None or row.outcome.proof.passed else FAILED
    changed = row.outcome.state == "failed" or row.outcome.legs_done
    return FAILED if changed else REFUSED


@app.command("go-on")
def go_on(context: typer.Context, yes: Yes = False, json: Json = False) -> None:
    """Go on with a crossing or a return that has not ended, and watch it."""
    desk = context.obj.desk()
    _follow_to_end(desk, desk.go_on(unattended=yes), json, ask=not yes and sys.stdin.isatty())


@app.command()
def rest(context: typer.Context) -> None:
    """Ask the crossing that is under way to rest at its next checkpoint."""
    desk = context.obj.desk()
    waiting = desk.open_procedure()
    if waiting is None:
        raise Refused("resting", "nothing is under way on this machine")
    desk.logbook().ask_to_rest(waiting.id, True)
    print(f"{waiting.id} rests at its next checkpoint; brave-bridge go-on continues it")


@app.command()
def proof(context: typer.Context, json: Json = False) -> None:
    """Hold the machine against its baseline before the newest crossing."""
    row, found = context.obj.desk().proof()
    document = shapes.document("proof", crossing=row.id, **shapes.proof(found))
    _print(json, document, texts.proof_text(found))
    if not found.passed:
        raise typer.Exit(REFUSED)


@app.command("ways-back")
def ways_back(context: typer.Context, json: Json = False) -> None:
    """List the ways back."""
    known = context.obj.desk().ways_back()
    document = shapes.document("ways-back", ways_back=[shapes.way_back(s) for s in known])
    _print(json, document, texts.ways_back_text(known))


@app.command("return")
def return_to(
    context: typer.Context,
    identifier: Annotated[str, typer.Argument(metavar="ID", help="A way back, or: newest.")],
    yes: Yes = False,
    preview: Annotated[bool, typer.Option("--preview", help="Only show what it would do.")] = False,
    reason: Annotated[str, typer.Option("--reason", help="Why, for the logbook.")] = "",
    json: Json = False,
) -> None:
    """Return to a way back."""
    desk = context.obj.desk()
    chosen, found = desk.preview_return(identifier)
    if preview or not json:
        document = shapes.document("preview", id=chosen.id, **shapes.preview(found))
        _print(json, document, preview_lines(chosen, found))
    if preview:
        return
    _confirm(yes, f"Return {desk.machine.name} to {chosen.id}?")
    _follow_to_end(desk, desk.begin_return(chosen, reason), json, ask=False)


@app.command()
def logbook(
    context: typer.Context,
    identifier: Annotated[str, typer.Argument(metavar="[ID]", help="One procedure.")] = "",
    json: Json = False,
) -> None:
    """Show what happened: every procedure, or one with every command and its output."""
    desk = context.obj.desk()
    rows = [row for row in desk.procedures() if identifier in ("", row.id)]
    if identifier and not rows:
        raise Refused("reading the logbook", f"there is no procedure {identifier}")
    procedures, lines = [], []
    for row in rows:
        entries = desk.logbook().entries(row.id)
        procedures.append(
            {**shapes.procedure(row), "entries": [shapes.entry(entry) for entry in entries]}
        )
        lines += texts.logbook_text(row, entries)
        if identifier:
            lines += [line for e in procedures[-1]["entries"] for line in _output_lines(e)]
    _print(
        json, shapes.document("logbook", procedures=procedures), lines or ["The logbook is empty."]
    )


def _output_lines(entry: dict[str, Any]) -> Iterable[str]:
    if "argv" in entry:
        yield f"\n$ {' '.join(entry['argv'])}"
        yield from entry.get("output", "").splitlines()


@app.command()
def demo(
    fresh: Annotated[bool, typer.Option("--fresh", help="Build the demo fleet anew.")] = False,
) -> None:
    """Open the screen on the demo fleet."""
    raise typer.Exit(open_screen(demo=True, fresh=fresh))


def run(words: list[str]) -> int:
    """Run a command line; its exit code. Whatever is refused is told in a sentence."""
    command = typer.main.get_command(app)
    wants_json = "--json" in words
    try:
        command(args=words, prog_name="brave-bridge")
        return DONE
    except SystemExit as end:
        return end.code if isinstance(end.code, int) else DONE
    except KeyboardInterrupt:
        print("nothing more was done", file=sys.stderr)
        return REFUSED
    except Refused as refusal:
        return _refuse(wants_json, refusal.what, refusal.why, refusal.remedy)
    except MachineError as error:
        what = f"{error.attempted} on {error.machine}"
        return _refuse(wants_json, what, error.seen, error.remedy)
    except (LogbookError, CatalogueError) as error:
        return _refuse(wants_json, "reading or writing", str(error), "")
    except OSError as error:
        why = f"{error.filename or ''}: {error.strerror or error}".removeprefix(": ")
        return _refuse(wants_json, "reading or writing", why, "")


def _refuse(wants_json: bool, what: str, why: str, remedy: str) -> int:
    if wants_json:
        document = shapes.document("error", what=what, why=why, remedy=remedy)
        print(json.dumps(document, indent=1))
    sentence = f"brave-bridge: {what}: {why}" + (f" ({remedy})" if remedy else "")
    print(texts.plain(sentence), file=sys.stderr)
    return REFUSED

"""The commands that prove: against the baseline of a crossing, or one taken by hand."""

from pathlib import Path
from typing import Annotated

import msgspec
import typer

from brave_bridge.cli import documents, texts
from brave_bridge.cli.application import REFUSED, Json, app, print_document
from brave_bridge.core.proof.compare import Proof
from brave_bridge.core.proof.difference import UNEXPLAINED
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.kept.proof_schedule import set_schedule
from brave_bridge.workbench.papers.proof_report import markdown, save_report
from brave_bridge.workbench.proofs.baselines import compared_with, read_kept, take_baseline
from brave_bridge.workbench.proofs.newest_proof import proof_now
from brave_bridge.workbench.proofs.proving import prove_what_is_due

WANTS_A_LOOK, WORSE = 10, 20
"""The exit codes for a monitoring system, as those of ``survey --exit-code``."""

ExitCode = Annotated[
    bool,
    typer.Option("--exit-code", help="End with 0 as before, 10 unexplained, 20 worse."),
]


@app.command()
def proof(
    context: typer.Context,
    json: Json = False,
    exit_code: ExitCode = False,
    as_markdown: Annotated[bool, typer.Option("--markdown", help="Print Markdown.")] = False,
    pdf: Annotated[
        Path | None, typer.Option("--pdf", help="Write one printed page to this file.")
    ] = None,
    due: Annotated[
        bool, typer.Option("--due", help="Only the repeated proof that is due, if one is.")
    ] = False,
    repeat: Annotated[
        list[float] | None,
        typer.Option("--repeat", help="From now on prove again after so many hours; 0: never."),
    ] = None,
) -> None:
    """Hold the machine against its baseline before the newest crossing."""
    desk = context.obj.desk()
    if repeat is not None:
        set_schedule(desk.target.kind, tuple(hour for hour in repeat if hour))
    if due or repeat is not None:
        _prove_again(desk, json, exit_code=exit_code)
        return
    row, found = proof_now(desk)
    title = f"{row.kind} {row.id}: {row.title}"
    document = documents.document("proof", crossing=row.id, **documents.proof(found))
    lines = markdown(desk.machine.name, title, found) if as_markdown else texts.proof_text(found)
    print_document(json, document, lines)
    if pdf is not None:
        typer.echo(f"written: {save_report(desk.machine.name, title, found, pdf)}", err=json)
    _end(found, exit_code=exit_code)


@app.command()
def baseline(
    context: typer.Context,
    to: Annotated[
        Path | None, typer.Option("--to", help="Write it to this file, for another machine.")
    ] = None,
    against: Annotated[
        str, typer.Option("--against", help="Compare with this one: a name or a file.")
    ] = "",
    compare: Annotated[
        bool, typer.Option("--compare", help="Compare with the newest that is kept.")
    ] = False,
    json: Json = False,
    exit_code: ExitCode = False,
) -> None:
    """Take a baseline of the machine, or compare it with one: its own, or another machine's."""
    desk = context.obj.desk()
    if not (compare or against):
        name, facts = take_baseline(desk, to)
        document = documents.document("baseline", name=name, **documents.topics(facts))
        print_document(json, document, texts.topics_text(name, facts))
        return
    name, before = read_kept(desk, against)
    found = compared_with(desk, before)
    document = documents.document("proof", baseline=name, **documents.proof(found))
    print_document(json, document, texts.proof_text(found))
    _end(found, exit_code=exit_code)


def _prove_again(desk: Desk, json: bool, *, exit_code: bool) -> None:
    """Make the repeated proof that is due, and tell when the next one is."""
    repeats, found = prove_what_is_due(desk)
    document = documents.document(
        "repeated-proofs",
        **msgspec.to_builtins(repeats),
        ahead=list(repeats.ahead),
        came_undone=list(repeats.came_undone()),
        proof=documents.proof(found) if found else None,
    )
    print_document(json, document, texts.repeats_text(repeats, found))
    if found is not None:
        _end(found, exit_code=exit_code)


def _end(found: Proof, *, exit_code: bool) -> None:
    if found.worse or not (found.passed or exit_code):
        raise typer.Exit(WORSE if exit_code else REFUSED)
    unexplained = any(one.verdict == UNEXPLAINED for one in found.differences)
    if exit_code and (unexplained or found.tasks or found.not_read):
        raise typer.Exit(WANTS_A_LOOK)

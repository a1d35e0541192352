"""The commands about where a machine can go: its route, and its track."""

from enum import StrEnum
from pathlib import Path
from typing import Annotated

import msgspec
import typer

from brave_bridge.cli import documents, texts
from brave_bridge.cli.application import (
    REFUSED,
    Json,
    To,
    Way,
    app,
    keep_wanted_way,
    print_document,
)
from brave_bridge.cli.completion import tasks as task_names
from brave_bridge.workbench.lines import check_file, own_files
from brave_bridge.workbench.planning.tasks import tasks_of, tick
from brave_bridge.workbench.planning.track import change_track
from brave_bridge.workbench.why_nothing import why_nothing


class _Tracks(StrEnum):
    LONG_TERM = "long-term"
    EVERY = "every"


@app.command()
def route(context: typer.Context, to: To = "", way: Way | None = None, json: Json = False) -> None:
    """Show the supported way to a release, and why there is no shorter one."""
    desk = context.obj.desk()
    keep_wanted_way(desk, way)
    facts = desk.facts()
    nothing = why_nothing(desk.survey(to, facts))
    routes = desk.routes(facts, to)
    if not to and routes.goal() is None:
        document = documents.document(
            "route", line=routes.line.id, legs=[], nothing_offered=msgspec.to_builtins(nothing)
        )
        print_document(json, document, texts.nothing_text(nothing))
        raise typer.Exit(REFUSED)
    found = routes.named(to)
    offered = routes.offered(found.end)
    standings = desk.standings(facts)
    safest = routes.stands.safest
    document = documents.route_document(found, offered, standings, nothing, safest=safest)
    print_document(json, document, texts.route_text(found, offered, standings, nothing))
    if not found.is_open:
        raise typer.Exit(REFUSED)


@app.command()
def track(
    context: typer.Context,
    change: Annotated[_Tracks | None, typer.Argument(help="Keep this one from now on.")] = None,
    json: Json = False,
) -> None:
    """Show which releases the machine is offered, and what the other track would mean."""
    desk = context.obj.desk()
    if change is not None:
        change_track(desk, long_term_only=change is _Tracks.LONG_TERM)
    known = desk.facts_as_far_as_known()
    releases_alone = desk.standings(known if known.taken_at else None)[0]
    found, goal = releases_alone.track(), releases_alone.goal()
    now, other = _names(found.long_term_only)
    document = documents.document(
        "track",
        track=now,
        offered=goal.key if goal else None,
        other=other,
        other_means=found.other,
        setting=found.setting or None,
    )
    by = f" (set in {found.setting})" if found.setting else ""
    offered = f"offered next: {goal.title}" if goal else "nothing is offered now"
    print_document(json, document, [f"track: {now}{by}; {offered}", f"{other}: {found.other}"])


def _names(long_term_only: bool) -> tuple[str, str]:
    names = (_Tracks.LONG_TERM.value, _Tracks.EVERY.value)
    return names if long_term_only else (names[1], names[0])


@app.command()
def tasks(
    context: typer.Context,
    to: To = "",
    done: Annotated[
        str, typer.Option("--done", help="Say that this one is done.", autocompletion=task_names)
    ] = "",
    not_done: Annotated[
        str, typer.Option("--not-done", help="Say that it is not.", autocompletion=task_names)
    ] = "",
    json: Json = False,
) -> None:
    """List the steps that only a person can do, before and after a leg."""
    desk = context.obj.desk()
    found = tasks_of(desk, to)
    for key, is_done in ((done, True), (not_done, False)):
        if key:
            desk.must_read_records()
            found = tick(desk, found, key, is_done=is_done)
    document = documents.document("tasks", tasks=[msgspec.to_builtins(task) for task in found])
    print_document(json, document, texts.tasks_text(found))


class _Deeds(StrEnum):
    CHECK = "check"


@app.command()
def releases(
    deed: Annotated[_Deeds, typer.Argument(help="check: read your own catalogue files.")],
    path: Annotated[Path | None, typer.Argument(help="Another file to check.")] = None,
    json: Json = False,
) -> None:
    """Check catalogue files of your own: what is wrong, with its line (docs/catalogue.md)."""
    checked = (check_file(path),) if path else own_files()
    document = documents.document(
        "releases", files=[documents.catalogue_file(own) for own in checked]
    )
    print_document(json, document, texts.catalogue_text(checked))
    if any(own.line is None for own in checked):
        raise typer.Exit(REFUSED)

"""The commands of ways back: list, take, look into, decide, return, card."""

import sys
from pathlib import Path
from typing import Annotated

import typer

from brave_bridge.cli import documents, way_back_documents, way_back_texts
from brave_bridge.cli.application import (
    DONE,
    REFUSED,
    Json,
    Yes,
    app,
    code_of,
    confirm,
    end_with,
    follow_to_end,
    print_document,
    print_said,
    watch,
)
from brave_bridge.cli.completion import ways_back
from brave_bridge.core.formats.text import byte_size
from brave_bridge.snapshots.choices import cover_of
from brave_bridge.snapshots.trees.cover import Exclusion, MountRule
from brave_bridge.workbench.pages.return_preview import preview_lines
from brave_bridge.workbench.papers import cards
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.ways.file_difference import file_difference
from brave_bridge.workbench.ways.ways_back import WaysBack

Id = Annotated[
    str,
    typer.Argument(metavar="ID", help="A way back, or: newest.", autocompletion=ways_back),
]
Reason = Annotated[str, typer.Option("--reason", help="Why, for the record.")]


def _ways(context: typer.Context, *, begins: bool = False) -> WaysBack:
    return WaysBack(context.obj.desk_to_begin_at() if begins else context.obj.desk())


@app.command()
def snapshot(
    context: typer.Context,
    reason: Reason = "by hand",
    engine: Annotated[
        str, typer.Option("--engine", help="copy, btrfs, lvm or zfs; else what suits best.")
    ] = "",
    json: Json = False,
) -> None:
    """Take a snapshot as a way back, and watch it."""
    ways = _ways(context, begins=True)
    procedure = ways.begin_snapshot(reason, engine)
    row = watch(ways.desk, procedure, json, ask=False)
    if not json or code_of(row) != DONE:
        end_with(row, json)
    taken = next(way for way in ways.listed() if way.id in row.outcome.ways_back)
    print_document(json, documents.document("snapshot", **way_back_documents.way_back(taken)), ())


@app.command("ways-back")
def ways_back(context: typer.Context, json: Json = False) -> None:
    """List the ways back: age, size, what they cover, until when; and those that ended."""
    ways = _ways(context)
    listed, gone, cut_off = ways.listed(), ways.gone(), ways.interrupted()
    aside = ways.set_aside()
    document = documents.document(
        "ways-back",
        ways_back=[way_back_documents.way_back(way) for way in listed],
        ended=[way_back_documents.gone(one) for one in gone],
        set_aside=[way_back_documents.set_aside(one) for one in aside],
        cut_off=cut_off.snapshot if cut_off else None,
    )
    text = way_back_texts.ways_back_text(listed, aside, gone, cut_off)
    print_document(json, document, text)


@app.command("return")
def return_to(
    context: typer.Context,
    identifier: Id,
    yes: Yes = False,
    preview: Annotated[bool, typer.Option("--preview", help="Only show what it would do.")] = False,
    reason: Annotated[str, typer.Option("--reason", help="Why, for the logbook.")] = "",
    note: Annotated[
        bool, typer.Option("--note", help="Keep the reason as a field note about the leg.")
    ] = False,
    skip_damaged: Annotated[
        bool, typer.Option("--skip-damaged", help="Leave out what is damaged in the way back.")
    ] = False,
    json: Json = False,
) -> None:
    """Return to a way back: what would be lost is shown first. Run it again if it was cut off."""
    ways = _ways(context, begins=not preview)
    if not preview:
        ways.returning.finish_exchange()
    chosen = ways.snapshots.find(identifier, though_damaged=skip_damaged)
    if preview or not (json or yes):
        found = ways.preview(identifier)
        document = documents.document("preview", id=chosen.id, **way_back_documents.preview(found))
        print_document(json, document, preview_lines(found))
    if preview:
        return
    confirm(yes, f"Return {ways.machine.name} to {chosen.id}?")
    if not (reason or yes or json):
        reason = typer.prompt("Why (kept in the logbook)", default="", show_default=False)
    procedure = ways.begin_return(chosen, reason, note=note, skip_damaged=skip_damaged)
    follow_to_end(ways.desk, procedure, json, ask=False)


@app.command()
def verify(context: typer.Context, identifier: Id, json: Json = False) -> None:
    """Read every file of a way back and hold it against its hash."""
    ways = _ways(context)
    found = ways.check(identifier if identifier != "newest" else ways.snapshots.find("newest").id)
    document = documents.document("verify", id=identifier, **way_back_documents.checked(found))
    print_document(json, document, way_back_texts.checked_text(found))
    if found.faults:
        raise typer.Exit(REFUSED)


@app.command()
def compare(
    context: typer.Context,
    identifier: Id,
    other: Annotated[
        str, typer.Argument(metavar="[OTHER]", help="Another way back; else the machine as it is.")
    ] = "",
    file: Annotated[
        str, typer.Option("--file", help="Show how the lines of this file differ.")
    ] = "",
    json: Json = False,
) -> None:
    """Compare a way back with the machine or another way back: a tree with sizes, or one file."""
    ways = _ways(context)
    identifier = ways.snapshots.find(identifier).id
    if file:
        lines = file_difference(ways.desk, identifier, file.lstrip("/"))
        print_document(json, documents.document("file", path=file, lines=lines), lines)
        return
    top = ways.compare(identifier, other)
    document = documents.document("compare", **way_back_documents.difference(top))
    print_document(json, document, way_back_texts.difference_text(top))


@app.command("put-back")
def put_back(
    context: typer.Context, identifier: Id, path: str, yes: Yes = False, json: Json = False
) -> None:
    """Put one path of a way back in place, with all below it; everything else stays."""
    ways = _ways(context)
    chosen = ways.snapshots.find(identifier, though_damaged=True)
    confirm(yes, f"Put {path} of {chosen.id} back on {ways.machine.name}?")
    print_said(json, "put-back", ways.put_back(chosen.id, path), id=chosen.id, path=path)


@app.command()
def pin(context: typer.Context, identifier: Id, reason: Reason = "", json: Json = False) -> None:
    """Keep a way back whatever the rules say."""
    ways = _ways(context)
    chosen = ways.snapshots.find(identifier).id
    ways.pin(chosen, reason)
    print_said(json, "pin", f"{identifier} stays until it is unpinned", id=chosen, pinned=True)


@app.command()
def unpin(context: typer.Context, identifier: Id, json: Json = False) -> None:
    """Let the retention rules hold for a way back again."""
    ways = _ways(context)
    chosen = ways.snapshots.kept(identifier).snapshot.id
    ways.unpin(chosen)
    print_said(json, "pin", f"the rules hold for {identifier} again", id=chosen, pinned=False)


@app.command()
def deadline(
    context: typer.Context,
    identifier: Id,
    when: Annotated[str, typer.Argument(metavar="WHEN", help="A day, +DAYS, or: none.")],
    reason: Reason = "",
    json: Json = False,
) -> None:
    """Set, extend or lift the day on which a way back ends."""
    ways = _ways(context)
    kept = ways.set_deadline(ways.snapshots.find(identifier).id, when, reason)
    ends = kept.keeping.deadline[:10]
    words = f"{kept.snapshot.id} ends {ends or 'never'}"
    print_said(json, "deadline", words, id=kept.snapshot.id, ends=ends or None)


@app.command()
def delete(
    context: typer.Context,
    identifier: Id,
    yes: Yes = False,
    reason: Reason = "",
    json: Json = False,
) -> None:
    """Delete a way back, or what a return has set aside; what is freed is shown."""
    ways = _ways(context)
    if identifier in {aside.id for aside in ways.set_aside()}:
        confirm(yes, f"Delete {identifier}, the system before a return, for good?")
        words = f"{byte_size(ways.delete_set_aside(identifier))} are free again"
        print_said(json, "delete", words, id=identifier)
        return
    kept = ways.snapshots.kept(identifier)
    identifier = kept.snapshot.id
    for line in way_back_texts.before_delete_text(ways.snapshots, kept):
        print(line, file=sys.stderr if json else sys.stdout)
    confirm(yes, f"Delete {identifier} for good?")
    gone = way_back_texts.gone_text(ways.delete(identifier, reason))
    print_said(json, "delete", *gone, id=identifier)


@app.command()
def expire(
    context: typer.Context,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Only tell what would go.")] = False,
    json: Json = False,
) -> None:
    """Let go what the retention rules let go; each stays or goes with its reason."""
    ways = _ways(context)
    if dry_run:
        fates = [way.fate for way in ways.listed(with_uses=False)]
    else:
        went, stay = ways.expire()
        fates = [way_back_texts.went(gone) for gone in went] + stay
    document = documents.document(
        "expire", dry_run=dry_run, ways_back=[documents.plain_record(f) for f in fates]
    )
    print_document(json, document, way_back_texts.fates_text(fates, dry_run=dry_run))


@app.command()
def keep(
    context: typer.Context,
    newest: Annotated[
        int | None, typer.Option("--newest", min=1, help="So many newest stay.")
    ] = None,
    days: Annotated[
        int | None,
        typer.Option("--days", min=0, help="Days that one stays after its crossing's proof."),
    ] = None,
    free: Annotated[
        int | None,
        typer.Option("--free", min=0, max=90, help="Let old ones go below this % of room."),
    ] = None,
    store: Annotated[
        str, typer.Option("--in", help="Keep new ones in this folder on another disk, or: here.")
    ] = "",
    json: Json = False,
) -> None:
    """Show or change how long ways back are kept, and where."""
    ways = _ways(context)
    wanted = {"keep": newest, "days_after_proof": days, "least_free_percent": free}
    changes = {name: value for name, value in wanted.items() if value is not None}
    if changes:
        ways.set_retention(**changes)
    if store:
        ways.choose(keep_in="" if store == "here" else str(Path(store).absolute()))
    choices = ways.choices
    print_document(
        json,
        documents.document("keep", **documents.plain_record(choices)),
        way_back_texts.keep_text(choices),
    )


@app.command()
def cover(
    context: typer.Context,
    leave_out: Annotated[str, typer.Option("--leave-out", help="Leave this path out.")] = "",
    take_in: Annotated[str, typer.Option("--take-in", help="Cover this path after all.")] = "",
    reason: Reason = "by hand",
    json: Json = False,
) -> None:
    """Show or change what a snapshot covers: file systems with their engines, what is left out."""
    ways = _ways(context)
    choices = ways.choices
    if leave_out:
        rule = Exclusion(leave_out.strip("/"), reason)
        ways.choose(
            leave_out=(*choices.leave_out, rule),
            take_in=tuple(r for r in choices.take_in if r.path.strip("/") != rule.path),
        )
    if take_in:
        rule = MountRule(take_in.rstrip("/"), reason)
        ways.choose(
            take_in=(*choices.take_in, rule),
            leave_out=tuple(r for r in choices.leave_out if r.path != take_in.strip("/")),
        )
    layout = ways.snapshots.layout()
    engines = ways.snapshots.engines()
    left = cover_of(ways.machine, ways.choices).sentences
    needed, free = ways.snapshots.room()
    told = way_back_documents.cover(engines, layout, left)
    document = documents.document("cover", **told, bytes_needed=needed, bytes_free=free)
    lines = way_back_texts.cover_text(engines, layout, left)
    room = way_back_texts.room_text(needed, free, has_copy=bool(ways.snapshots.all()))
    print_document(json, document, [*lines, room])


@app.command()
def card(
    context: typer.Context,
    folder: Annotated[Path, typer.Option("--folder", help="Where to write it.")] = Path(),
    paper: Annotated[str, typer.Option("--paper", help="a4 or letter.")] = "a4",
    text: Annotated[bool, typer.Option("--text", help="Only print it as text.")] = False,
    json: Json = False,
) -> None:
    """Make the recovery card: one page for a machine that does not start, as SVG, PDF and text."""
    desk = context.obj.desk()
    desk.must_read_records()
    if text:
        print_said(json, "card", *cards.text_of(desk).splitlines())
        return
    try:
        paths = cards.save_card(desk, folder, paper)
    except (ValueError, OSError) as error:
        raise Refused(
            "making the card", str(error), "a4 or letter; a folder that is there"
        ) from error
    print_said(json, "card", *map(str, paths), files=[str(path) for path in paths])

"""The command about the system of before that the system itself keeps."""

from collections.abc import Iterator
from typing import Annotated

import msgspec
import typer

from brave_bridge.cli import documents
from brave_bridge.cli.application import Json, Yes, app, confirm, follow_to_end, print_document
from brave_bridge.core.formats.text import byte_size, counted, plain
from brave_bridge.workbench.ways.kept_system import (
    KeptSeen,
    begin_going_back,
    begin_keeping_longer,
    kept_here,
)


@app.command("kept-system")
def kept_system(
    context: typer.Context,
    until: Annotated[str, typer.Option("--until", help="Keep it until this day.")] = "",
    go_back: Annotated[bool, typer.Option("--go-back", help="Let it run again.")] = False,
    reason: Annotated[str, typer.Option("--reason", help="Why you go back.")] = "",
    note: Annotated[
        bool, typer.Option("--note", help="Keep the reason as a field note about the leg.")
    ] = False,
    yes: Yes = False,
    json: Json = False,
) -> None:
    """Tell which system of before the system itself keeps; keep it longer, or go back to it."""
    if not (until or go_back):
        seen = kept_here(context.obj.desk())
        document = documents.document("kept-system", **msgspec.to_builtins(seen))
        print_document(json, document, [plain(line) for line in _lines(seen)])
        return
    desk = context.obj.desk_to_begin_at()
    if until:
        follow_to_end(desk, begin_keeping_longer(desk, until), json, ask=False)
        return
    seen = kept_here(desk)
    if not json:
        print_document(False, {}, [plain(line) for line in _lines(seen)])
    confirm(yes, f"Let {seen.kept.version} run again on {desk.machine.name}?")
    follow_to_end(desk, begin_going_back(desk, reason, note=note), json, ask=False)


def _lines(seen: KeptSeen) -> Iterator[str]:
    kept = seen.kept
    if seen.days_left is None:
        yield f"◇ {kept.version}, build {kept.build}, in the other slot"
        yield "  it stays until the next image is written over it"
    else:
        size = byte_size(kept.size)
        yield f"◇ {kept.version}, build {kept.build}, kept since {kept.made}: {size}"
        yield f"  {counted(seen.days_left, 'day')} left, until {kept.until}"
    if kept.longest > kept.until:
        yield f"  it can be kept until {kept.longest}: --until {kept.longest}"
    if seen.updates:
        yield f"  {counted(seen.updates, 'update')} offered: look first whether they mend it"
    yield "going back would lose"
    yield from (f"  {words}" for words in seen.losses)

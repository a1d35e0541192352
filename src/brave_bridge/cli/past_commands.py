"""The commands about past systems: ways back in the boot menu."""

from typing import Annotated

import msgspec
import typer

from brave_bridge.cli import documents
from brave_bridge.cli.application import Json, Yes, app, confirm, follow_to_end, print_document
from brave_bridge.core.boot.past_entry import PastSystem
from brave_bridge.core.formats.text import plain
from brave_bridge.workbench.boot.past_systems import (
    begin_keeping,
    begin_offering,
    begin_withdrawing,
    past_systems,
)

_NONE = "The boot menu offers no way back. Have it offer one: brave-bridge boot-menu WAY_BACK"


@app.command("boot-menu")
def boot_menu(
    context: typer.Context,
    way_back: Annotated[str, typer.Argument(metavar="[WAY_BACK]", help="Its id.")] = "",
    once: Annotated[bool, typer.Option("--once", help="Start it at the next boot alone.")] = False,
    out: Annotated[bool, typer.Option("--out", help="Take it out again; alone: all.")] = False,
    yes: Yes = False,
    json: Json = False,
) -> None:
    """Have the boot menu offer a way back as a system to start (btrfs); or list what it offers."""
    if not way_back and not out:
        found = past_systems(context.obj.desk())
        rows = [msgspec.to_builtins(one) | {"title": one.title} for one in found]
        lines = [_line(one) for one in found] or [_NONE]
        print_document(json, documents.document("boot-menu", systems=rows), lines)
        return
    desk = context.obj.desk_to_begin_at()
    if out:
        follow_to_end(desk, begin_withdrawing(desk, way_back), json, ask=False)
        return
    if once:
        confirm(yes, f"Have {desk.machine.name} start {way_back} at its next boot?")
    follow_to_end(desk, begin_offering(desk, way_back, once=once), json, ask=False)


def _line(past: PastSystem) -> str:
    return plain(f"{'◉' if past.running else '●'} {past.title}, kernel {past.kernel}")


@app.command("keep-past")
def keep_past(context: typer.Context, yes: Yes = False, json: Json = False) -> None:
    """Keep the past system that the machine was started in: it is the machine's own from now on."""
    desk = context.obj.desk_to_begin_at()
    confirm(yes, f"Keep the past system as the system of {desk.machine.name}?")
    follow_to_end(desk, begin_keeping(desk), json, ask=False)

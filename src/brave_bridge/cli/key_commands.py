"""The command that gives a licence key to a crossing that waits for it."""

from typing import Annotated

import typer

from brave_bridge.cli.application import Json, KeyFd, app, print_said
from brave_bridge.cli.key_entry import KeyEntry
from brave_bridge.workbench.media.licence_keys import waiting_for, withdraw
from brave_bridge.workbench.refusal import Refused


@app.command("give-key")
def give_key(
    context: typer.Context,
    key_fd: KeyFd = None,
    none: Annotated[bool, typer.Option("--none", help="Say that no key will come.")] = False,
    json: Json = False,
) -> None:
    """Give the licence key that a crossing waits for: it is typed unseen, or read from --key-fd."""
    desk = context.obj.desk()
    wanted = waiting_for(desk)
    if wanted is None:
        raise Refused("giving a key", "no crossing of this machine waits for one now")
    if none:
        withdraw(desk)
        print_said(json, "give-key", f"{wanted.title}: no key will come", edition=wanted.edition)
        return
    KeyEntry(key_fd, must_ask=True).tend(desk)
    print_said(json, "give-key", f"{wanted.title}: the key was taken", edition=wanted.edition)

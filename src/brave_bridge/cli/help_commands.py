"""The commands about the command line itself: completion and the manual page."""

from enum import StrEnum
from typing import Annotated

import typer

from brave_bridge.cli.application import Json, app, print_said
from brave_bridge.cli.completion import script_for
from brave_bridge.cli.manual import manual_page


class _Shells(StrEnum):
    BASH = "bash"
    ZSH = "zsh"
    FISH = "fish"


@app.command()
def completion(
    shell: Annotated[_Shells, typer.Argument(help="The shell to print it for.")],
    json: Json = False,
) -> None:
    """Print what makes a shell complete our commands: source it, or put it where it looks."""
    print_said(json, "completion", *script_for(shell.value).splitlines(), shell=shell.value)


@app.command()
def manual(json: Json = False) -> None:
    """Print the manual page, made from the commands: brave-bridge manual > brave-bridge.1."""
    print_said(json, "manual", *manual_page())

"""The manual page (man-pages(7), groff_man(7)), made from the commands as they are."""

from collections.abc import Iterator
from typing import Any

import typer

from brave_bridge import __version__
from brave_bridge.cli.application import app
from brave_bridge.cli.groups import by_section


def manual_page() -> Iterator[str]:
    """The lines of brave-bridge(1)."""
    group = typer.main.get_command(app)
    yield f'.TH BRAVE\\-BRIDGE 1 "" "Brave Bridge {__version__}" "User Commands"'
    yield from (
        ".SH NAME",
        "brave\\-bridge \\- take machines from release to release, with a way back",
    )
    yield from (
        ".SH SYNOPSIS",
        ".B brave\\-bridge",
        "[\\fIOPTIONS\\fR] [\\fICOMMAND\\fR [\\fIARGS\\fR]]",
    )
    yield ".SH DESCRIPTION"
    for paragraph in str(group.help).split("\n\n"):
        yield from (".PP", _text(paragraph))
    yield ".SH OPTIONS"
    yield from _options(group)
    yield ".SH COMMANDS"
    for title, found in by_section(group.commands):
        yield f'.SS "{title}"'
        for name, command in found:
            yield from _command(name, command)
    yield from (".SH EXIT STATUS", _text(str(group.epilog)))
    yield from (".SH FILES", ".TP", "\\fI/var/lib/brave\\-bridge\\fR")
    yield "the machine's own state: logbook, decisions, plans, ways back"


def _command(path: str, command: Any) -> Iterator[str]:
    """A command with its options, or the commands of a group."""
    if hasattr(command, "commands"):
        for name, inner in command.commands.items():
            yield from _command(f"{path} {name}", inner)
        return
    arguments = " ".join(
        f"\\fI{_text(parameter.metavar or str(parameter.name).upper())}\\fR"
        for parameter in command.params
        if parameter.param_type_name == "argument"
    )
    yield from (
        ".TP",
        f"\\fB{_text(path)}\\fR {arguments}".rstrip(),
        _text(str(command.help or "")),
    )
    yield ".RS"
    yield from _options(command)
    yield ".RE"


def _options(command: Any) -> Iterator[str]:
    for parameter in command.params:
        if parameter.param_type_name == "option" and not parameter.hidden:
            names = ", ".join(_text(name) for name in parameter.opts)
            yield from (".TP", f"\\fB{names}\\fR", _text(parameter.help or ""))


def _text(words: str) -> str:
    """Words as groff reads them: a hyphen is itself, and no line begins with a request."""
    joined = " ".join(words.split()).replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{joined}" if joined.startswith((".", "'")) else joined

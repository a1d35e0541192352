"""The commands about a person's own checks."""

from typing import Annotated

import msgspec
import typer

from brave_bridge.cli import documents
from brave_bridge.cli.application import REFUSED, Json, app, print_document
from brave_bridge.core.formats.text import plain
from brave_bridge.core.proof.checks import CHECK_KINDS, FAILS, GRAVE, MINOR, OwnCheck
from brave_bridge.families.registry import baseline
from brave_bridge.runner.checking import ask_checks
from brave_bridge.workbench.kept.own_checks import (
    all_checks,
    checks_for,
    forget_check,
    set_check,
    suggested,
)

_KIND = f"How it asks: {', '.join(CHECK_KINDS)}."


@app.command()
def check(
    context: typer.Context,
    target: Annotated[
        list[str] | None, typer.Argument(metavar="[TARGET]…", help="What is asked.")
    ] = None,
    name: Annotated[str, typer.Option("--set", metavar="NAME", help="Set this check.")] = "",
    kind: Annotated[str, typer.Option("--kind", help=_KIND)] = "command",
    expected: Annotated[
        str, typer.Option("--expect", help="The answer; without: the same as before.")
    ] = "",
    seconds: Annotated[float, typer.Option("--seconds", min=0.1, max=600)] = 10.0,
    minor: Annotated[bool, typer.Option("--minor", help="Failing only wants a look.")] = False,
    machine: Annotated[
        list[str] | None, typer.Option("--on", help="On this machine; again for others.")
    ] = None,
    role: Annotated[str, typer.Option("--role", help="On machines of this role.")] = "",
    forget: Annotated[str, typer.Option("--forget", metavar="NAME", help="Forget it.")] = "",
    suggest: Annotated[bool, typer.Option("--suggest", help="Suggest by what listens.")] = False,
    json: Json = False,
) -> None:
    """Set own checks that proofs ask; without a target, ask those of the machine now."""
    desk = context.obj.desk()
    fleet = desk.target.kind
    if name:
        made = OwnCheck(
            name=name,
            kind=kind,
            target=tuple(target or ()),
            expected=expected,
            seconds=seconds,
            severity=MINOR if minor else GRAVE,
            machines=tuple(machine or ()),
            role=role,
        )
        set_check(fleet, made)
    elif forget:
        forget_check(fleet, forget)
    elif suggest:
        found = list(suggested(fleet, baseline(desk.machine, desk.family())))
        _listed(found, json, "suggested")
        return
    else:
        _ask(desk, json)
        return
    _listed(all_checks(fleet), json, "checks")


def _listed(checks, json: bool, kind: str) -> None:
    lines = [_line(one) for one in checks] or ["none"]
    rows = [msgspec.to_builtins(one) for one in checks]
    print_document(json, documents.document("check", **{kind: rows}), lines)


def _line(one: OwnCheck) -> str:
    where = ", ".join(one.machines) or one.role or "every machine"
    wanted = one.expected or "same as before"
    return plain(f"● {one.name} ({one.kind}, {where}): {' '.join(one.target)} → {wanted}")


def _ask(desk, json: bool) -> None:
    checks = checks_for(desk.target.kind, desk.machine.name, desk.facts())
    topics = ask_checks(desk.machine, checks)
    answers = {name: told for topic in topics for name, told in topic.values.items()}
    lines = [f"{'■' if a.startswith(FAILS) else '●'} {plain(n)}: {a}" for n, a in answers.items()]
    document = documents.document("check", answers=answers)
    print_document(json, document, lines or ["no check is set for this machine (--suggest)"])
    if any(told.startswith(FAILS) for told in answers.values()):
        raise typer.Exit(REFUSED)

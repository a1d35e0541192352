"""The commands that make a machine ready: updates, decisions, notes, backups, drawings."""

from pathlib import Path
from typing import Annotated

import typer

from brave_bridge.cli import documents, readiness_documents, texts
from brave_bridge.cli.application import (
    Json,
    To,
    Yes,
    app,
    confirm,
    follow_to_end,
    print_document,
    print_said,
)
from brave_bridge.cli.completion import rules
from brave_bridge.core.field_notes import SEVERITIES
from brave_bridge.core.formats.paused_sources import paused_among
from brave_bridge.workbench.papers.folder import NAME, papers_folder
from brave_bridge.workbench.readiness import Readiness
from brave_bridge.workbench.refusal import Refused

Rule = Annotated[
    str,
    typer.Argument(
        metavar="RULE", help="The rule's id, as survey --json has it.", autocompletion=rules
    ),
]
DRAWINGS = (
    "fleet",
    "topics",
    "support",
    "bridge",
    "survey",
    "route",
    "plan",
    "crossing",
    "proof",
    "ways-back",
    "kernels",
    "logbook",
)
"""What can be drawn; told without loading what draws."""

Reason = Annotated[str, typer.Option("--reason", help="Why; it is kept and told.")]


@app.command()
def update(
    context: typer.Context,
    yes: Yes = False,
    list_only: Annotated[
        bool, typer.Option("--list", help="Only look what is pending; install nothing.")
    ] = False,
    json: Json = False,
) -> None:
    """Bring the present release up to date, and look again until nothing is left."""
    desk = context.obj.desk() if list_only else context.obj.desk_to_begin_at()
    ready = Readiness(desk)
    pending = ready.look()
    ends_here = list_only or not (pending.updates or pending.new or pending.restart_wanted)
    if ends_here or not json:
        document = documents.document("updates", **readiness_documents.updates(pending))
        print_document(json, document, texts.updates_text(pending))
    if ends_here:
        return
    confirm(yes, f"Bring {desk.machine.name} up to date?")
    follow_to_end(desk, ready.begin_update(unattended=yes), json, ask=not yes)


@app.command()
def overrule(
    context: typer.Context, rule: Rule, reason: Reason, to: To = "", json: Json = False
) -> None:
    """Let a finding that stands in the way stand, with a reason that is kept."""
    desk = context.obj.desk()
    made = Readiness(desk).overrule(desk.survey(to), rule, reason)
    document = documents.document("overrule", rule=made.rule, leg=made.leg, reason=made.reason)
    print_document(json, document, [f"overruled: {made.title} ({made.reason})"])


@app.command()
def uphold(context: typer.Context, rule: Rule, json: Json = False) -> None:
    """Take back an overrule."""
    Readiness(context.obj.desk()).uphold(rule)
    words = f"{rule} stands in the way again where it finds something"
    print_said(json, "uphold", words, rule=rule)


@app.command()
def mend(context: typer.Context, rule: Rule, to: To = "", yes: Yes = False, json: Json = False):
    """Run the commands that mend a finding, on the record."""
    desk = context.obj.desk_to_begin_at()
    found = next((f for f in desk.survey(to).findings if f.id == rule and (f.fix or f.deed)), None)
    if found is None:
        raise Refused("mending", f"no finding of {rule} can be mended from here")
    if not json:
        for argv in found.fix:
            print(f"$ {' '.join(argv)}")
        if found.deed:
            print(found.deed)
    confirm(yes, f"Do this on {desk.machine.name}?")
    follow_to_end(desk, Readiness(desk).begin_remedy(found), json, ask=False)


@app.command()
def sources(
    context: typer.Context,
    take_up: Annotated[
        bool,
        typer.Option("--take-up", help="Take up again those that wait, where they can be."),
    ] = False,
    yes: Yes = False,
    json: Json = False,
) -> None:
    """List where packages come from, and what waits until it has this release."""
    desk = context.obj.desk()
    facts = desk.facts()
    waiting = paused_among(facts.source_files)
    if take_up:
        confirm(yes, f"Take up what has the release of {desk.machine.name} by now?")
        follow_to_end(desk, Readiness(desk).begin_taking_up(), json, ask=False)
    document = documents.document("sources", **readiness_documents.sources(facts.sources, waiting))
    print_document(json, document, texts.sources_text(facts.sources, waiting))


@app.command("confirm-backup")
def confirm_backup(
    context: typer.Context,
    day: Annotated[
        str, typer.Option("--day", help="ISO day of the backup; today if left out.")
    ] = "",
    json: Json = False,
) -> None:
    """Say that home folders and data are backed up elsewhere."""
    confirmed = Readiness(context.obj.desk()).confirm_backup(day)
    words = f"a backup of home and data of {confirmed} is noted"
    print_said(json, "confirm-backup", words, day=confirmed)


@app.command()
def window(
    context: typer.Context,
    times: Annotated[
        str, typer.Argument(metavar="[WINDOW]", help="22:00-02:00 or Sat 22:00-02:00; none: off.")
    ] = "",
    json: Json = False,
) -> None:
    """Set the maintenance window that a crossing is held against."""
    ready = Readiness(context.obj.desk())
    ready.set_window(times)
    kept = ready.decisions.window
    words = f"the maintenance window is {kept.words}" if kept else "no maintenance window is set"
    print_said(json, "window", words, window=kept.words if kept else None)


@app.command()
def maintenance(
    context: typer.Context,
    enter: Annotated[str, typer.Option("--enter", help="Command before the crossing.")] = "",
    leave: Annotated[str, typer.Option("--leave", help="Command after it, in all cases.")] = "",
    forget: Annotated[bool, typer.Option("--forget", help="Forget all of them.")] = False,
    json: Json = False,
) -> None:
    """List, add or forget the commands that enter and leave a maintenance state."""
    ready = Readiness(context.obj.desk())
    if forget:
        ready.forget_maintenance()
    elif enter or leave:
        ready.set_maintenance(enter, leave)
    known = ready.decisions
    pairs = list(zip(known.maintenance, known.maintenance_left, strict=False))
    lines = [
        line
        for number, (way_in, way_out) in enumerate(pairs, start=1)
        for line in (f"{number}. before: {' '.join(way_in)}", f"   after:  {' '.join(way_out)}")
    ]
    commands = [{"enter": list(way_in), "leave": list(way_out)} for way_in, way_out in pairs]
    print_said(json, "maintenance", *(lines or ["no maintenance state is set"]), commands=commands)


@app.command("settings-backup")
def settings_backup(
    context: typer.Context,
    to: Annotated[str, typer.Option("--to", help="The folder it goes to.")] = "",
    json: Json = False,
) -> None:
    """Archive /etc, package selections, sources, keys and boot settings."""
    folder = Path(to).expanduser().absolute() if to else None
    made = Readiness(context.obj.desk()).back_up_settings(folder)
    document = documents.document("settings-backup", **readiness_documents.archive(made))
    print_document(json, document, texts.archive_text(made))


notes = typer.Typer(help="Field notes: what was learnt on one machine about a leg.")
app.add_typer(notes, name="note")


@notes.command("add")
def note_add(
    context: typer.Context,
    text: Annotated[str, typer.Argument(metavar="TEXT", help="What was learnt.")],
    severity: Annotated[
        str, typer.Option("--severity", help=f"One of {', '.join(SEVERITIES)}.")
    ] = "caution",
    workaround: Annotated[str, typer.Option("--workaround", help="What helps.")] = "",
    to: To = "",
    json: Json = False,
) -> None:
    """Write a note about the leg ahead; "wait" stops every machine that faces it."""
    desk = context.obj.desk()
    made = Readiness(desk).write_note(desk.survey(to), severity, text, workaround)
    words = f"note {made.id} about {made.leg}: {texts.plain(made.text)}"
    print_said(json, "note", words, note=readiness_documents.note(made))


@notes.command("lift")
def note_lift(
    context: typer.Context,
    number: Annotated[int, typer.Argument(metavar="NUMBER")],
    reason: Reason = "",
    json: Json = False,
) -> None:
    """Say that a note no longer holds."""
    lifted = Readiness(context.obj.desk()).lift_note(number, reason)
    words = f"note {lifted.id} is lifted: {texts.plain(lifted.lifted)}"
    print_said(json, "note", words, note=readiness_documents.note(lifted))


@notes.command("list")
def note_list(context: typer.Context, json: Json = False) -> None:
    """List all notes, the newest first."""
    known = context.obj.desk().field_notes()
    document = documents.document("notes", notes=[readiness_documents.note(note) for note in known])
    print_document(json, document, texts.notes_text(known))


@app.command()
def draw(
    context: typer.Context,
    name: Annotated[str, typer.Argument(metavar="NAME", help=f"One of: {', '.join(DRAWINGS)}.")],
    machine: Annotated[str, typer.Option("--machine", help="A machine of the fleet.")] = "",
    every: Annotated[bool, typer.Option("--all", help="Every machine of the fleet.")] = False,
    line: Annotated[str, typer.Option("--line", help="support: all releases of this line.")] = "",
    to: Annotated[str, typer.Option("--to", help="The folder they go to.", show_default=NAME)] = "",
    json: Json = False,
) -> None:
    """Draw a view as SVG and PDF: the fleet, a machine's route or plan, how long support lasts."""
    target = context.obj.target
    if name == "support":
        from brave_bridge.workbench.papers.export import export_support

        written = export_support(target.words, line, papers_folder(to))
    else:
        from brave_bridge.workbench.papers.drawing import draw as draw_view

        written = draw_view(name, target, papers_folder(to), machine, every=every)
    paths = [str(path) for path in written]
    print_said(json, "draw", *paths, files=paths)


@app.command()
def report(
    context: typer.Context,
    machine: Annotated[str, typer.Option("--machine", help="A machine of the fleet.")] = "",
    to: Annotated[str, typer.Option("--to", help="The folder it goes to.", show_default=NAME)] = "",
    json: Json = False,
) -> None:
    """Write all views of a machine, with their pictures and lists, as one PDF."""
    from brave_bridge.workbench.papers.drawing import report_of

    path = str(report_of(context.obj.target, papers_folder(to), machine))
    print_said(json, "report", path, files=[path])

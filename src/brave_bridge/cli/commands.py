"""The commands of a crossing, from survey to return."""

import sys
from collections.abc import Iterable
from pathlib import Path
from typing import Annotated, Any

import typer

from brave_bridge.cli import documents, texts
from brave_bridge.cli.application import (
    REFUSED,
    Add,
    Choose,
    Exclude,
    Files,
    Json,
    KeyFd,
    LetGo,
    Protect,
    Remove,
    Theirs,
    To,
    Way,
    Yes,
    app,
    confirm,
    follow_to_end,
    keep_wanted_way,
    print_document,
    print_said,
)
from brave_bridge.cli.key_entry import KeyEntry
from brave_bridge.cli.opening import open_screen
from brave_bridge.cli.plan_texts import plan_text
from brave_bridge.core.formats.text import plain
from brave_bridge.core.survey.findings import Verdict, stops, worst
from brave_bridge.workbench import beginning
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.kept.policies import forget_policy, listed_policies, read_policies
from brave_bridge.workbench.papers.plan_document import plan_document
from brave_bridge.workbench.papers.plan_export import export_plan
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.surveying import remember

CAUTION_CODE, STOP_CODE = 10, 20


@app.command()
def survey(
    context: typer.Context,
    to: To = "",
    json: Json = False,
    everything: Annotated[
        bool, typer.Option("--all", help="Also list what cannot apply to the machine.")
    ] = False,
    exit_code: Annotated[
        bool,
        typer.Option("--exit-code", help="End with 0 clear, 10 caution, 20 stop."),
    ] = False,
) -> None:
    """Read the machine's facts and judge how ready it is for the leg ahead."""
    desk = context.obj.desk()
    surveyed = desk.survey(to)
    remember(desk.target, surveyed)
    print_document(
        json,
        documents.survey_document(surveyed, desk.today()),
        texts.survey_text(surveyed, everything=everything),
    )
    if exit_code:
        codes = {Verdict.CAUTION: CAUTION_CODE, Verdict.STOP: STOP_CODE}
        raise typer.Exit(codes.get(worst(surveyed.findings), 0))


def _decided(desk: Desk, kept, theirs: list[str]):
    for path in theirs:
        kept = Plans(desk).answer(kept, path, "theirs")
    return kept


def _preferred(desk: Desk, kept, wanted: dict[str, list[str]]):
    """The plan under the preferences that the command line names, beside those it has."""
    preferences = kept.preferences
    for kind, slots in wanted.items():
        for slot in slots:
            if slot not in getattr(preferences, kind):
                preferences = preferences.toggled(kind, slot)
    return kept if preferences == kept.preferences else Plans(desk).under(kept, preferences)


def _chosen(desk: Desk, kept, choose: list[str], tell):
    """The plan with its choices answered as the command line says."""
    for words in choose:
        key, _, answer = words.rpartition("=")
        kept = Plans(desk).decide(kept, key, answer, tell)
    return kept


@app.command()
def plan(
    context: typer.Context,
    to: To = "",
    way: Way | None = None,
    theirs: Theirs = [],  # noqa: B006
    protect: Protect = [],  # noqa: B006
    exclude: Exclude = [],  # noqa: B006
    let_go: LetGo = [],  # noqa: B006
    remove: Remove = [],  # noqa: B006
    add: Add = [],  # noqa: B006
    choose: Choose = [],  # noqa: B006
    files: Files = "",
    everything: Annotated[bool, typer.Option("--all", help="Cut nothing short.")] = False,
    json: Json = False,
) -> None:
    """Compute what each leg would change; nothing of the machine's sources is touched."""
    desk = context.obj.desk()
    keep_wanted_way(desk, way)
    tell = None if json else (lambda title: print(f"· {title}", file=sys.stderr))
    wanted = {
        "protect": protect,
        "exclude": exclude,
        "let_go": let_go,
        "remove": remove,
        "add": add,
    }
    kept = _chosen(desk, Plans(desk).make(to, tell), choose, tell)
    kept = _decided(desk, _preferred(desk, kept, wanted), theirs)
    if files:
        for path in export_plan(desk.machine.name, kept, Path(files), desk.survey(kept.to)):
            print(f"· {path}", file=sys.stderr)
    against = stops(desk.survey(kept.to).findings)
    told = plan_document(desk.machine.name, kept) | {
        "refused": [{"rule": one.id, "why": one.title, "remedy": one.remedy} for one in against]
    }
    refusal = [plain(f"■ cross would be refused: {one.title}  ({one.remedy})") for one in against]
    print_document(json, told, [*plan_text(kept, everything=everything), *refusal])
    if against:
        raise typer.Exit(REFUSED)


@app.command()
def policies(
    context: typer.Context,
    forget: Annotated[str, typer.Option("--forget", help="Let this one go.", metavar="KEY")] = "",
    json: Json = False,
) -> None:
    """Show the answers and preferences that hold for every machine's plans."""
    kind = context.obj.target.kind
    if forget:
        if forget not in {policy.key for policy in listed_policies(read_policies(kind))}:
            raise Refused("letting a policy go", f"there is no policy {forget}")
        forget_policy(kind, forget)
    found = list(listed_policies(read_policies(kind)))
    document = documents.document(
        "policies", policies=[documents.plain_record(one) for one in found]
    )
    lines = [plain(f"{one.key}: {one.words}") for one in found]
    print_document(json, document, lines or ["Nothing holds for every machine yet."])


@app.command()
def cross(
    context: typer.Context,
    to: To = "",
    yes: Yes = False,
    theirs: Theirs = [],  # noqa: B006
    key_fd: KeyFd = None,
    json: Json = False,
) -> None:
    """Cross to a release, an edition or a profile: way back, the change, restart, proof."""
    desk = context.obj.desk_to_begin_at()
    if waiting := desk.open_procedure():
        why = f"{waiting.kind} {waiting.id} has not ended"
        raise Refused("crossing", why, "watch it, or go on with it: brave-bridge go-on")
    surveyed = desk.survey(to)
    kept = _decided(desk, Plans(desk).kept(surveyed.facts, to) or Plans(desk).make(to), theirs)
    if not json:
        print_document(False, {}, [*plan_text(kept), *texts.card_text(surveyed)])
    confirm(yes, f"Cross {desk.machine.name} to {kept.legs[-1].leg.end.title}?")
    keys = KeyEntry(key_fd)
    keys.before(desk, kept.legs)
    # Whoever was asked may have taken long to answer.
    facts = surveyed.facts if yes else None
    procedure = beginning.begin_crossing(desk, kept, unattended=yes, facts=facts)
    follow_to_end(desk, procedure, json, ask=not yes, tend=keys.tend)


@app.command("go-on")
def go_on(
    context: typer.Context,
    yes: Yes = False,
    theirs: Theirs = [],  # noqa: B006
    protect: Protect = [],  # noqa: B006
    exclude: Exclude = [],  # noqa: B006
    let_go: LetGo = [],  # noqa: B006
    remove: Remove = [],  # noqa: B006
    add: Add = [],  # noqa: B006
    key_fd: KeyFd = None,
    json: Json = False,
) -> None:
    """Go on with what has not ended, or with a leg that a failure left open, and watch it.

    Answers and preferences change what was agreed for a leg that a failure left open.
    """
    desk = context.obj.desk_to_begin_at()
    waiting, told = desk.open_procedure(), 0
    given = {"protect": protect, "exclude": exclude, "let_go": let_go, "remove": remove, "add": add}
    wanted = [(kind, slot) for kind, slots in given.items() for slot in slots]
    if waiting is None:
        procedure = beginning.begin_again(desk, theirs, wanted, unattended=yes)
    elif theirs or wanted:
        raise Refused(
            "changing answers",
            f"{waiting.kind} {waiting.id} has not ended and keeps to what was agreed",
            "go on without them; they are taken once it has ended and its leg is still open",
        )
    else:
        if desk.runner_is_there():
            print(f"{waiting.kind} {waiting.id} is under way: watching it", file=sys.stderr)
        told = sum(bool(entry.ended) for entry in desk.logbook().entries(waiting.id))
        procedure = beginning.go_on(desk, unattended=yes)
    asks = not yes and sys.stdin.isatty()
    follow_to_end(desk, procedure, json, ask=asks, tend=KeyEntry(key_fd).tend, since=told)


@app.command()
def rest(context: typer.Context, json: Json = False) -> None:
    """Ask the crossing that is under way to rest at its next checkpoint."""
    desk = context.obj.desk()
    waiting = desk.open_procedure()
    if waiting is None:
        raise Refused("resting", "nothing is under way on this machine")
    desk.logbook().ask_to_rest(waiting.id, True)
    words = f"{waiting.id} rests at its next checkpoint; brave-bridge go-on continues it"
    print_said(json, "rest", words, procedure=waiting.id)


@app.command()
def logbook(
    context: typer.Context,
    identifier: Annotated[str, typer.Argument(metavar="[ID]", help="One procedure.")] = "",
    json: Json = False,
) -> None:
    """Show what happened: every procedure, or one with every command and its output."""
    desk = context.obj.desk()
    rows = [row for row in desk.procedures() if identifier in ("", row.id)]
    if identifier and not rows:
        raise Refused("reading the logbook", f"there is no procedure {identifier}")
    procedures, lines = [], []
    for row in rows:
        entries = desk.logbook().entries(row.id)
        procedures.append(
            {**documents.procedure(row), "entries": [documents.entry(entry) for entry in entries]}
        )
        lines += texts.logbook_text(row, entries)
        if identifier:
            lines += [line for e in procedures[-1]["entries"] for line in _output_lines(e)]
    print_document(
        json,
        documents.document("logbook", procedures=procedures),
        lines or ["The logbook is empty."],
    )


def _output_lines(entry: dict[str, Any]) -> Iterable[str]:
    if "argv" in entry:
        yield f"\n$ {' '.join(entry['argv'])}"
        yield from entry.get("output", "").splitlines()


@app.command()
def demo(
    fresh: Annotated[bool, typer.Option("--fresh", help="Build the demo fleet anew.")] = False,
) -> None:
    """Open the screen on the demo fleet."""
    raise typer.Exit(open_screen(demo=True, fresh=fresh))

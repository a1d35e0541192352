"""What a shell may put in: names of machines, releases, ways back, rules and tasks.

A shell asks with every Tab: what cannot be read at once, or at all, is no suggestion. Every command
has this module: what it asks is loaded when a shell asks.
"""

import contextlib
from collections.abc import Callable, Iterable, Iterator

import typer

from brave_bridge.cli.names import PROGRAM, VARIABLE
from brave_bridge.core.formats.text import plain
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.targets import Target

Suggestions = list[tuple[str, str]]
"""What could be put in, each with a few words about it."""


def _suggesting(names: Callable[[Desk], Iterable[tuple[str, str]]]):
    """What completes a word from a desk on the machine that the line names."""

    def complete(context: typer.Context, incomplete: str) -> Suggestions:
        found: Suggestions = []
        with contextlib.suppress(Exception):
            found = [(name, plain(words, 60)) for name, words in names(_desk_of(context))]
        return [(name, words) for name, words in found if name.startswith(incomplete)]

    return complete


def _desk_of(context: typer.Context) -> Desk:
    """The desk on the target that the words before the command name."""
    from brave_bridge.workbench.demo import demo_folder, is_built

    given = context.find_root().params
    tree, demo = given.get("tree") or "", given.get("demo") or ""
    if demo and not is_built(demo_folder()):
        raise LookupError("a Tab builds no demo fleet")
    kind = "tree" if tree else "demo" if demo else "local"
    return Desk(Target(kind, tree or demo))


def _releases(desk: Desk) -> Iterator[tuple[str, str]]:
    for routes in desk.standings():
        yield from ((route.end.key, route.end.title) for route in routes.later())


def _ways_back(desk: Desk) -> Iterator[tuple[str, str]]:
    yield "newest", "the newest that is whole"
    for kept in desk.snapshots.listed():
        yield kept.snapshot.id, f"{kept.snapshot.release}, {kept.snapshot.reason}"


def _rules(desk: Desk) -> Iterator[tuple[str, str]]:
    from brave_bridge.core.survey.rules import all_rules

    yield from ((rule.id, rule.asks) for rule in all_rules())


def _tasks(desk: Desk) -> Iterator[tuple[str, str]]:
    from brave_bridge.workbench.planning.tasks import tasks_of

    yield from ((task.key, task.text) for task in tasks_of(desk))


releases = _suggesting(_releases)
ways_back = _suggesting(_ways_back)
rules = _suggesting(_rules)
tasks = _suggesting(_tasks)


def machines(incomplete: str) -> Suggestions:
    """The machines of the demo fleet."""
    from brave_bridge.workbench.members import fleet_members

    with contextlib.suppress(Exception):
        _, members = fleet_members((), demo=True)
        return [(m.name, m.about) for m in members if m.name.startswith(incomplete)]
    return []


def script_for(shell: str) -> str:
    """The lines that make a shell ask us; they belong where the shell reads its settings."""
    from typer.completion import get_completion_script

    return get_completion_script(prog_name=PROGRAM, complete_var=VARIABLE, shell=shell)

"""The commands in the order of the work, grouped in the help as the work is."""

from collections.abc import Iterator, Mapping
from typing import Any

from typer.core import TyperGroup

SECTIONS = {
    "Where it stands": ("demo", "survey", "update", "mend", "overrule", "uphold", "sources"),
    "Where it goes": ("route", "track", "tasks", "releases", "note"),
    "What would change": ("plan", "bundle", "policies", "draw", "report"),
    "Ready for it": ("confirm-backup", "settings-backup", "check", "window", "maintenance", "card"),
    "Across": ("cross", "go-on", "give-key", "rest", "baseline", "proof", "logbook"),
    "Kernels and boot": (
        "kernels",
        "offered-kernels",
        "drivers",
        "boot-once",
        "start-other",
        "hold-series",
        "add-kernel",
        "remove-kernels",
        "kernel-config",
        "build-kernel",
    ),
    "Ways back": (
        "snapshot",
        "ways-back",
        "return",
        "put-back",
        "boot-menu",
        "keep-past",
        "kept-system",
        "compare",
        "verify",
        "pin",
        "unpin",
        "deadline",
        "delete",
        "expire",
        "keep",
        "cover",
    ),
}


def by_section(known: Mapping[str, Any]) -> Iterator[tuple[str, list[tuple[str, Any]]]]:
    """Each section that has a command, with its commands; what none names comes last."""
    left = dict(known)
    for title, names in (*SECTIONS.items(), ("More", tuple(known))):
        found = [(name, left.pop(name)) for name in names if name in left]
        if found:
            yield title, found


class GroupedByWork(TyperGroup):
    """A command group whose help has a section for each part of the work."""

    def list_commands(self, ctx: Any) -> list[str]:
        """The commands by their sections; what no section names comes last."""
        return [name for _, found in by_section(self.commands) for name, _ in found]

    def format_commands(self, ctx: Any, formatter: Any) -> None:
        """Write one list for each section."""
        shown = {name: command for name, command in self.commands.items() if not command.hidden}
        for title, found in by_section(shown):
            with formatter.section(title):
                formatter.write_dl(
                    [(name, c.get_short_help_str(limit=formatter.width - 20)) for name, c in found]
                )

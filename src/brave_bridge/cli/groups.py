"""The commands in the order of the work, grouped in the help as the work is."""

from typing import Any

from typer.core import TyperGroup

SECTIONS = {
    "Where it stands": ("demo", "survey", "update", "mend", "overrule", "uphold", "sources"),
    "Where it goes": ("route", "track", "tasks", "releases", "note"),
    "What would change": ("plan", "policies", "draw"),
    "Ready for it": ("confirm-backup", "settings-backup", "window", "maintenance", "card"),
    "Across": ("cross", "go-on", "rest", "proof", "logbook"),
    "Ways back": ("snapshot", "ways-back", "return", "put-back", "compare", "verify", "pin",
                  "unpin", "deadline", "delete", "expire", "keep", "cover"),
}  # fmt: skip


class GroupedByWork(TyperGroup):
    """A command group whose help has a section for each part of the work."""

    def list_commands(self, ctx: Any) -> list[str]:
        """The commands by their sections; what no section names comes last."""
        known = list(super().list_commands(ctx))
        placed = [name for names in SECTIONS.values() for name in names if name in known]
        return [*placed, *(name for name in known if name not in placed)]

    def format_commands(self, ctx: Any, formatter: Any) -> None:
        """Write one list for each section."""
        left = self.list_commands(ctx)
        for title, names in (*SECTIONS.items(), ("More", tuple(left))):
            rows = []
            for name in (name for name in names if name in left):
                command = self.get_command(ctx, name)
                if command is not None and not command.hidden:
                    rows.append((name, command.get_short_help_str(limit=formatter.width - 20)))
            left = [name for name in left if name not in names]
            if rows:
                with formatter.section(title):
                    formatter.write_dl(rows)

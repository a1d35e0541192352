"""Which module has which command: a command line loads what its own command needs, and no more."""

from collections.abc import Iterable, Sequence
from importlib import import_module

MODULES: dict[str, tuple[str, ...]] = {
    "commands": ("survey", "plan", "policies", "cross", "go-on", "rest", "logbook", "demo"),
    "route_commands": ("route", "track", "tasks", "releases"),
    "proof_commands": ("proof", "baseline"),
    "check_commands": ("check",),
    "readiness_commands": (
        "update",
        "overrule",
        "uphold",
        "mend",
        "sources",
        "confirm-backup",
        "window",
        "maintenance",
        "settings-backup",
        "draw",
        "report",
        "note",
    ),
    "way_back_commands": (
        "snapshot",
        "ways-back",
        "return",
        "verify",
        "compare",
        "put-back",
        "pin",
        "unpin",
        "deadline",
        "delete",
        "expire",
        "keep",
        "cover",
        "card",
    ),
    "boot_commands": (
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
    "past_commands": ("boot-menu", "keep-past"),
    "image_commands": ("bundle",),
    "key_commands": ("give-key",),
    "kept_commands": ("kept-system",),
    "help_commands": ("completion", "manual"),
}
_ABOUT_ALL = "help_commands"
"""Its commands tell of all others."""

OF_THE_TARGET = ("--tree", "--demo")
"""The options before a command that have a value as a word of its own."""

BEGINNING = frozenset(
    (
        "cross",
        "go-on",
        "update",
        "mend",
        "snapshot",
        "return",
        "boot-once",
        "start-other",
        "hold-series",
        "add-kernel",
        "remove-kernels",
        "build-kernel",
        "boot-menu",
        "keep-past",
        "kept-system",
    )
)
"""The commands that begin a procedure, which a runner carries out."""


def command_in(words: Iterable[str]) -> str:
    """The command that a command line names; empty where it names none."""
    left = iter(words)
    for word in left:
        if word in OF_THE_TARGET:
            next(left, "")
        elif not word.startswith("-"):
            return word
    return ""


def load_commands(words: Sequence[str] = ()) -> None:
    """Give the application the commands that a command line needs; all where that is not clear."""
    named = command_in(words)
    fitting = [module for module, names in MODULES.items() if named in names]
    for module in MODULES if fitting in ([], [_ABOUT_ALL]) else fitting:
        import_module(f"brave_bridge.cli.{module}")

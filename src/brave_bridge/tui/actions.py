"""What can be done on the screen: one table a place feeds keys, key line, help and palette."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, NamedTuple

from textual.binding import Binding

if TYPE_CHECKING:
    from brave_bridge.workbench.record import MachineRecord


def always(record: MachineRecord | None) -> bool:
    """An action that can be asked for on any machine."""
    return True


class Action(NamedTuple):
    """One action. ``name`` is that of its method, with arguments where it has some.

    ``words`` stand beside the key, ``told`` in the list of all actions; ``when`` says on which
    machine it does something. ``command`` is its name on the command line, where it has one.
    """

    name: str
    key: str
    words: str
    told: str = ""
    when: Callable[[MachineRecord | None], bool] = always
    command: str = ""
    shown: str = ""
    """The key as it is told, where that is not its name."""

    @property
    def binding(self) -> Binding:
        """Its key as Textual binds it."""
        return Binding(self.key, self.name, self.words, show=False)

    @property
    def label(self) -> str:
        """Its key as a person reads it."""
        return self.shown or self.key

    @property
    def title(self) -> str:
        """What it is called in the list of all actions."""
        return self.words[:1].upper() + self.words[1:]

    @property
    def help(self) -> str:
        """What it does, in the list of all actions."""
        command = f", brave-bridge {self.command}" if self.command else ""
        return f"{self.told or self.words} ({self.label}{command})"


EVERYWHERE = (
    Action("machine(-1)", "left_square_bracket", "machine before", shown="["),
    Action("machine(1)", "right_square_bracket", "next machine", shown="]"),
    Action("next_step", "n", "next step", "Do what the Next line says"),
    Action(
        "filter", "slash", "filter", "Show only what has a text in it; Esc shows all", shown="/"
    ),
    Action("why", "w", "why pane", "The Why pane: wider, hidden, back"),
    Action("export", "x", "export", "Write this view to files"),
    Action("look", "t", "look", "Night, morning, high contrast"),
    Action("keys", "question_mark", "keys", "The keys of this place", shown="?"),
    Action("leave", "q", "leave", "Leave; a crossing goes on without the screen"),
)
"""What holds in every place."""

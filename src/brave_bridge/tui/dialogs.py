"""Dialogs: the confirmation that asks for the machine's name, and the list of keys."""

from collections.abc import Iterator

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical, VerticalScroll
from textual.screen import ModalScreen
from textual.widgets import Input, Static

from brave_bridge.tui.actions import EVERYWHERE


class Dialog(ModalScreen):
    """What the dialogs share: a framed box in the middle."""

    DEFAULT_CSS = """
    Dialog { align: center middle; background: $background 55%; }
    Dialog ToastRack { dock: top; align: center top; }
    Dialog Toast { width: 100%; max-width: 100%; padding: 0 1; margin: 0; }
    Dialog > Vertical {
        width: 76; max-width: 96%; height: auto; max-height: 80%; padding: 1 2;
        border: round $primary; background: $surface; border-title-color: $primary;
    }
    Dialog Static { height: auto; margin-bottom: 1; }
    Dialog Input, Dialog Input:focus {
        border: round $primary; background: $surface; height: 3; margin: 0;
    }
    """


class ConfirmByName(Dialog):
    """Says what will happen and what would be lost; the name confirms it: True, or False."""

    BINDINGS = [("escape", "dismiss(False)", "back")]

    def __init__(self, title: str, lines: list[str], name: str) -> None:
        super().__init__()
        self.heading = title
        self.lines = lines
        self.machine_name = name

    def compose(self) -> ComposeResult:
        with Vertical() as box:
            box.border_title = self.heading
            yield Static(Text("\n".join(self.lines)))
            yield Static(
                Text.assemble(
                    "To go ahead, type the machine's name: ",
                    (self.machine_name, "bold"),
                    "   (Esc goes back)",
                )
            )
            yield Input(placeholder=self.machine_name)

    def on_mount(self) -> None:
        self.query_one(Input).focus()

    def on_input_submitted(self, event: Input.Submitted) -> None:
        if event.value.strip() == self.machine_name:
            self.dismiss(True)
        else:
            event.input.value = ""
            event.input.placeholder = f"that is not {self.machine_name}"


class Told(Dialog):
    """Something to read; Esc or Enter closes it."""

    BINDINGS = [("escape,enter,q", "dismiss(None)", "back")]
    keys = "Esc goes back"

    def __init__(self, title: str, lines: list[str]) -> None:
        super().__init__()
        self.heading = title
        self.lines = lines

    def compose(self) -> ComposeResult:
        with Vertical() as box:
            box.border_title = self.heading
            yield Static(Text("\n".join(self.lines)))
            yield Static(Text(self.keys))


class Confirm(Told, inherit_bindings=False):
    """Says what something means before it is done; True for y, or False."""

    BINDINGS = [("escape,n", "dismiss(False)", "back"), ("y", "dismiss(True)", "do it")]
    keys = "y does it, Esc goes back"


class AskReason(Dialog):
    """Asks for a sentence that is kept, why something is done or let stand; None without one."""

    BINDINGS = [("escape", "dismiss(None)", "back")]

    def __init__(self, title: str, lines: list[str], prompt: str) -> None:
        super().__init__()
        self.heading = title
        self.lines = lines
        self.prompt = prompt

    def compose(self) -> ComposeResult:
        with Vertical() as box:
            box.border_title = self.heading
            yield Static(Text("\n".join(self.lines)))
            yield Input(placeholder=self.prompt, max_length=300)

    def on_mount(self) -> None:
        self.query_one(Input).focus()

    def on_input_submitted(self, event: Input.Submitted) -> None:
        if event.value.strip():
            self.dismiss(event.value.strip())


class ConfirmReturn(Dialog):
    """What a return would do; a reason and the machine's name confirm it.

    The reason and whether to keep it as a field note about ``leg``, or None.
    """

    BINDINGS = [
        ("escape", "dismiss(None)", "back"),
        ("ctrl+f", "note", "field note"),
        Binding("pagedown", "scroll(1)", show=False, priority=True),
        Binding("pageup", "scroll(-1)", show=False, priority=True),
    ]
    DEFAULT_CSS = """
    ConfirmReturn > Vertical { width: 92; max-height: 96%; height: auto; }
    ConfirmReturn VerticalScroll { height: auto; max-height: 60vh; scrollbar-size: 1 1; }
    ConfirmReturn #return-note { margin: 0; }
    """

    def __init__(self, lines: list[str], name: str, leg: str, title: str = "Return") -> None:
        super().__init__()
        self.heading = title
        self.lines = lines
        self.machine_name = name
        self.leg = leg
        self.as_note = False

    def compose(self) -> ComposeResult:
        with Vertical() as box:
            box.border_title = self.heading
            with VerticalScroll(can_focus=False):
                yield Static(Text("\n".join(self.lines)))
            yield Input(placeholder="why you go back", max_length=300, id="return-reason")
            yield Input(placeholder=f"the machine's name: {self.machine_name}", id="return-name")
            yield Static(id="return-note")

    def on_mount(self) -> None:
        self.query_one("#return-reason", Input).focus()
        self._tell()

    def _tell(self) -> None:
        note = f"Ctrl+F keeps the reason as a field note about {self.leg}. " if self.leg else ""
        if self.as_note:
            note = f"◆ The reason is kept as a field note about {self.leg} (Ctrl+F). "
        self.query_one("#return-note", Static).update(
            Text(f"{note}Tab changes the line, PgDn scrolls, Esc goes back.")
        )

    def action_note(self) -> None:
        """Keep the reason as a field note, or not."""
        self.as_note = bool(self.leg) and not self.as_note
        self._tell()

    def action_scroll(self, by: int) -> None:
        """Scroll what is told."""
        self.query_one(VerticalScroll).scroll_relative(y=10 * by)

    def on_input_submitted(self, event: Input.Submitted) -> None:
        reason = self.query_one("#return-reason", Input)
        name = self.query_one("#return-name", Input)
        if event.input is reason or not reason.value.strip():
            (name if reason.value.strip() else reason).focus()
        elif name.value.strip() == self.machine_name:
            self.dismiss((reason.value.strip(), self.as_note))
        else:
            name.value = ""
            name.placeholder = f"that is not {self.machine_name}"


class WriteNote(Dialog):
    """A field note as (severity, what was learnt, what helps), or None."""

    SEVERITIES = (("note", "○"), ("caution", "▲"), ("wait", "■"))
    BINDINGS = [("escape", "dismiss(None)", "back"), ("ctrl+g", "graver", "how grave")]

    def __init__(self, leg: str) -> None:
        super().__init__()
        self.leg = leg
        self.chosen = 1

    def compose(self) -> ComposeResult:
        with Vertical() as box:
            box.border_title = f"field note about {self.leg}"
            yield Input(placeholder="what was learnt", max_length=300, id="note-text")
            yield Input(placeholder="what helps (may stay empty)", max_length=300, id="note-help")
            yield Static(id="note-severity")

    def on_mount(self) -> None:
        self.query_one("#note-text", Input).focus()
        self._show_severity()

    def _show_severity(self) -> None:
        variables = self.app.theme_variables
        text = Text()
        for number, (name, mark) in enumerate(self.SEVERITIES):
            here = number == self.chosen
            style = f"bold {variables['primary']}" if here else variables["quiet"]
            text.append(f"{mark} {name}   ", style=style)
        text.append("Ctrl+G changes it\n", style=variables["foreground"])
        text.append("\nwait stops every machine that faces this leg.  Enter keeps, Esc goes back.")
        self.query_one("#note-severity", Static).update(text)

    def action_graver(self) -> None:
        """The next severity."""
        self.chosen = (self.chosen + 1) % len(self.SEVERITIES)
        self._show_severity()

    def on_input_submitted(self) -> None:
        text = self.query_one("#note-text", Input).value.strip()
        if text:
            workaround = self.query_one("#note-help", Input).value.strip()
            self.dismiss((self.SEVERITIES[self.chosen][0], text, workaround))


class KeyList(ModalScreen[None]):
    """The keys of this place and those that hold everywhere."""

    BINDINGS = [("escape,question_mark,q", "dismiss(None)", "back")]
    DEFAULT_CSS = """
    KeyList { align: center middle; background: $background 55%; }
    KeyList > VerticalScroll {
        width: 76; height: auto; max-height: 100%; padding: 1 2; border: round $primary;
        background: $surface; border-title-color: $primary;
    }
    KeyList Static { height: auto; }
    """

    def __init__(self, place: str, hints) -> None:
        super().__init__()
        self.place = place
        self.hints = hints

    def compose(self) -> ComposeResult:
        brass = self.app.theme_variables["primary"]
        text = Text()
        for words, keys in (
            (f"here, in {self.place}", self.hints),
            ("everywhere", _everywhere()),
        ):
            text.append(words + "\n", style="bold")
            for key, meaning in keys:
                text.append(f"  {key:<11}", style=brass)
                text.append(f"{meaning}\n")
            text.append("\n")
        text.append("Esc goes back")
        with VerticalScroll() as box:
            box.border_title = "keys"
            yield Static(text)


def _everywhere() -> Iterator[tuple[str, str]]:
    """The keys that hold in every place."""
    yield "1 … 0", "the workspaces, in the order of the work"
    yield "Shift+↑ ↓", "the picture's next lane, and its row; so does a click"
    for action in EVERYWHERE:
        words = action.told or action.words
        yield action.label, words[:1].lower() + words[1:]
    yield "Ctrl+P", "find any action by name"

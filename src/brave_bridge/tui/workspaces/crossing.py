"""Crossing: how far is it, is it well?"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.widgets import Static

from brave_bridge.tui.actions import Action
from brave_bridge.tui.key_dialog import EnterKey
from brave_bridge.tui.widgets.ledger import Ledger
from brave_bridge.tui.widgets.picture import Picture
from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.core.crossing.requests import UseKey
    from brave_bridge.core.licensed.key import LicenceKey
    from brave_bridge.workbench.pages.crossing import Progress
    from brave_bridge.workbench.pages.page import Page
    from brave_bridge.workbench.record import Asked, MachineRecord

_BAR = 40


def _asked(record: MachineRecord | None) -> Asked | None:
    """What waits for an answer."""
    return record.live.asked if record and record.live else None


def _is_asked(record: MachineRecord | None) -> bool:
    return _asked(record) is not None


def _has_third(record: MachineRecord | None) -> bool:
    asked = _asked(record)
    return asked is not None and len(asked.choices) > 2


def _is_at_work(record: MachineRecord | None) -> bool:
    return bool(record and record.live and record.live.is_open and record.live.at_work)


def _can_go_on(record: MachineRecord | None) -> bool:
    """Whether something rests, or a leg stands open that can be gone on with."""
    live = record.live if record else None
    rests = live is not None and live.is_open and not live.at_work
    return rests or bool(record and record.next.action == "go_on")


class CrossingWorkspace(Workspace):
    """The steps, the present one's progress, its newest output, warnings and questions."""

    KEY, NAME, WORDS = "5", "crossing", "Crossing"
    ACTIONS = (
        Action("answer(0)", "a", "the first answer", "Answer the open question", _is_asked),
        Action("answer(1)", "u", "the second answer", "Answer the open question", _is_asked),
        Action("answer(2)", "e", "the third answer", "Answer the open question", _has_third),
        Action("rest", "r", "rest", "Rest at the next checkpoint", _is_at_work, "rest"),
        Action("go_on", "g", "go on", "Go on with what rests", _can_go_on, "go-on"),
    )
    CAN_FILTER = False
    DEFAULT_CSS = """
    CrossingWorkspace > .progress { height: auto; max-height: 3; padding: 0 1; }
    CrossingWorkspace > .question {
        height: auto; max-height: 60%; padding: 0 1; display: none; border: round $warning;
        margin: 0 1; overflow-y: auto;
    }
    CrossingWorkspace > .question.-shown { display: block; }
    CrossingWorkspace > .output {
        height: auto; max-height: 8; padding: 0 1; color: $secondary; border-top: solid $panel;
    }
    """

    def compose(self) -> ComposeResult:
        yield Static(classes="summary")
        yield Static(classes="progress")
        yield Static(classes="question")
        yield Picture()
        yield Ledger()
        yield Static(classes="output")

    @property
    def room(self) -> int:
        """See Workspace: an open question takes about half."""
        return self.size.height // 2 if _asked(self.record) else self.size.height

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.crossing import crossing_page

        return crossing_page(record)

    def show(self, record, harbour) -> None:
        from brave_bridge.workbench.pages.crossing import progress_of

        legs = max(len(record.bridge.titles) - 1, 1)
        if record.live is None:
            self._tell(None)
        else:
            self._tell(progress_of(record.live, legs))
        super().show(record, harbour)

    def keys(self, record: MachineRecord | None) -> Iterable[tuple[str, str]]:
        """See Workspace: an open question's answers in its own words."""
        asked = _asked(record)
        answers = asked.choices if asked else ()
        for action in self.ACTIONS:
            if action.name.startswith("answer"):
                number = int(action.name[-2])
                if number < len(answers):
                    yield action.label, answers[number]
            elif action.when(record):
                yield action.label, action.words

    def action_answer(self, number: int) -> None:
        """Answer the open question with its first, second or third choice."""
        record, asked = self.record, _asked(self.record)
        if record is None or record.live is None or asked is None or number >= len(asked.choices):
            self.warn("Nothing is asked now.")
            return
        if asked.wanted is not None:
            self._give_key(record.name, asked.wanted, give=number == 0)
            return
        procedure, choice = record.live.row.id, asked.choices[number]
        self.do(
            record.name,
            "answering",
            lambda desk: desk.logbook().answer(procedure, asked.key, choice, "person"),
        )

    def _give_key(self, machine: str, wanted: UseKey, *, give: bool) -> None:
        from brave_bridge.workbench.media import licence_keys

        def hand(key: LicenceKey | None) -> None:
            if key is not None:
                self.do(machine, "handing the key on", lambda desk: licence_keys.give(desk, key))

        if not give:
            self.do(machine, "saying that no key will come", licence_keys.withdraw)
            return
        title = f"The key of edition {wanted.edition}"
        dialog = EnterKey(title, lambda typed: licence_keys.judged_by(wanted, typed))
        self.app.push_screen(dialog, hand)

    def action_rest(self) -> None:
        """Ask what is under way to rest at its next checkpoint."""
        record = self.record
        if record is None or record.live is None or not record.live.is_open:
            self.warn("Nothing is under way.")
            return
        procedure = record.live.row.id
        self.do(
            record.name,
            "asking it to rest",
            lambda desk: desk.logbook().ask_to_rest(procedure, True),
            lambda _: self.notify("It rests at its next checkpoint; g goes on."),
        )

    def action_go_on(self) -> None:
        """Go on with a procedure that rests or whose runner is gone."""
        from brave_bridge.workbench.beginning import go_on

        self.set_going(self.app.harbour.current, "going on", go_on)

    def _tell(self, progress: Progress | None) -> None:
        bar, question, output = (
            self.query_one(f".{name}", Static) for name in ("progress", "question", "output")
        )
        question.set_class(progress is not None and progress.question is not None, "-shown")
        if progress is None:
            bar.update("")
            output.display = False
            return
        bar.update(self._bar(progress))
        output.display = bool(progress.warnings or progress.output)
        output.update(self._output(progress))
        if progress.question:
            question.update(self._question(*progress.question))

    def _bar(self, progress: Progress) -> Text:
        variables = self.app.theme_variables
        brass, quiet = variables["primary"], variables["quiet"]
        whole = progress.done + (progress.percent / 100 if progress.done < progress.total else 0)
        filled = round(_BAR * min(whole / max(progress.total, 1), 1.0))
        if progress.state == "done":
            filled = _BAR
        text = Text()
        text.append("━" * filled, style=brass)
        text.append("┈" * (_BAR - filled), style=quiet)
        text.append(f"  {progress.done} of {progress.total} steps   {progress.left}\n", style=quiet)
        text.append(progress.words, style=f"bold {variables['foreground']}")
        return text

    def _question(self, title: str, detail: str, choices: tuple[str, ...]) -> Text:
        variables = self.app.theme_variables
        text = Text()
        text.append(f"? {title}   ", style=f"bold {variables['warning']}")
        for key, choice in zip(("a", "u", "e"), choices, strict=False):
            text.append(f"{key} ", style=f"bold {variables['primary']}")
            text.append(f"{choice}   ")
        text.append("\n")
        for line in detail.splitlines():
            tone = {"+": variables["success"], "-": variables["error"]}.get(line[:1], "")
            text.append(line + "\n", style=tone or variables["foreground"])
        return text

    def _output(self, progress: Progress) -> Text:
        text = Text(no_wrap=True, overflow="ellipsis")
        for line in progress.warnings[-3:]:
            text.append(f"▲ {line}\n", style=self.app.theme_variables["warning"])
        room = 7 - len(progress.warnings[-3:])
        text.append("\n".join(progress.output[-room:]))
        return text

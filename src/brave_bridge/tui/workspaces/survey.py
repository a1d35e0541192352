"""Survey: is it ready?"""

from __future__ import annotations

from typing import TYPE_CHECKING

from textual.binding import Binding

from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.workbench.pages.page import Page


class SurveyWorkspace(Workspace):
    """Findings by verdict, or the facts that they are judged from."""

    KEY, NAME, WORDS = "2", "survey", "Survey"
    BINDINGS = [
        Binding("s", "app.read_again", "survey again"),
        Binding("f", "facts", "facts"),
        Binding("u", "app.update", "updates"),
        Binding("m", "app.mend", "mend"),
        Binding("v", "app.overrule", "overrule"),
        Binding("b", "app.back_up_settings", "settings backup"),
        Binding("k", "app.confirm_backup", "confirm a backup"),
    ]

    def __init__(self) -> None:
        super().__init__()
        self._shows_facts = False

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.facts import facts_page
        from brave_bridge.workbench.pages.survey import survey_page

        if self._shows_facts:
            return facts_page(record)
        return survey_page(record, harbour.unfolded(record.name))

    def action_facts(self) -> None:
        """Change between the findings and the facts."""
        self._shows_facts = not self._shows_facts
        self.app.show_current()

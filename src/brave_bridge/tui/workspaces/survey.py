"""Survey: is it ready?"""

from __future__ import annotations

from typing import TYPE_CHECKING

from textual.binding import Binding

from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.workbench.pages.page import Page


class SurveyWorkspace(Workspace):
    """Findings by verdict."""

    KEY, NAME, WORDS = "2", "survey", "Survey"
    BINDINGS = [Binding("s", "app.read_again", "survey again")]

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.survey import survey_page

        return survey_page(record)

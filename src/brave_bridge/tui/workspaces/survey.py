"""Survey: is it ready?"""

from textual.binding import Binding

from brave_bridge.tui.workspaces.base import Workspace
from brave_bridge.workbench.pages.page import Page
from brave_bridge.workbench.pages.survey import survey_page


class SurveyWorkspace(Workspace):
    """Findings by verdict."""

    KEY, NAME, WORDS = "2", "survey", "Survey"
    BINDINGS = [Binding("s", "app.read_again", "survey again")]

    def page(self, record, harbour) -> Page:
        return survey_page(record)

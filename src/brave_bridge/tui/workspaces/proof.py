"""Proof: is it as good as before?"""

from textual.binding import Binding

from brave_bridge.tui.workspaces.base import Workspace
from brave_bridge.workbench.pages.page import Page
from brave_bridge.workbench.pages.proof import proof_page


class ProofWorkspace(Workspace):
    """Before and after."""

    KEY, NAME, WORDS = "6", "proof", "Proof"
    BINDINGS = [Binding("v", "app.prove", "prove again")]

    def page(self, record, harbour) -> Page:
        return proof_page(record)

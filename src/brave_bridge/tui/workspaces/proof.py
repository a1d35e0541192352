"""Proof: is it as good as before?"""

from __future__ import annotations

from typing import TYPE_CHECKING

from textual.binding import Binding

from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.workbench.pages.page import Page


class ProofWorkspace(Workspace):
    """Before and after."""

    KEY, NAME, WORDS = "6", "proof", "Proof"
    BINDINGS = [Binding("v", "app.prove", "prove again")]

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.proof import proof_page

        return proof_page(record)

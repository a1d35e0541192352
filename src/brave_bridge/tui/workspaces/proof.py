"""Proof: is it as good as before?"""

from __future__ import annotations

from typing import TYPE_CHECKING

from brave_bridge.tui.actions import Action
from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.core.proof.compare import Proof
    from brave_bridge.workbench.desk import Desk
    from brave_bridge.workbench.pages.page import Page


class ProofWorkspace(Workspace):
    """Before and after."""

    KEY, NAME, WORDS = "6", "proof", "Proof"
    ACTIONS = (
        Action(
            "prove", "v", "prove again", "Hold the machine against its baseline", command="proof"
        ),
    )

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.proof import proof_page

        return proof_page(record)

    def action_prove(self) -> None:
        """Hold the machine against its baseline again."""

        def prove(desk: Desk) -> Proof:
            from brave_bridge.workbench.proving import prove_again

            return prove_again(desk)

        def tell(proof: Proof) -> None:
            words = "as good as before" if proof.passed else "something is worse than before"
            self.notify(words, severity="information" if proof.passed else "warning")

        self.do(self.app.harbour.current, "proving", prove, tell)

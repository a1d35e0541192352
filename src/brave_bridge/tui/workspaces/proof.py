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
        Action(
            "set_checks",
            "k",
            "set checks",
            "Have what listens here asked before a leg and after it",
            command="check",
        ),
    )

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.proof import proof_page

        return proof_page(record)

    def action_set_checks(self) -> None:
        """Set the checks that what listens on the machine suggests."""

        def set_them(desk: Desk) -> tuple[str, ...]:
            from brave_bridge.workbench.kept.own_checks import set_what_listens

            return set_what_listens(desk.target.kind, desk.machine, desk.family())

        def tell(names: tuple[str, ...]) -> None:
            known = "Nothing listens here that is not asked already (brave-bridge check lists it)."
            self.notify(f"Asked from now on: {', '.join(names)}" if names else known)

        self.do(self.app.harbour.current, "looking what listens", set_them, tell)

    def action_prove(self) -> None:
        """Hold the machine against its baseline again."""

        def prove(desk: Desk) -> Proof:
            from brave_bridge.workbench.proofs.proving import prove_again

            return prove_again(desk)

        def tell(proof: Proof) -> None:
            self.notify(proof.words, severity="information" if proof.passed else "warning")

        self.do(self.app.harbour.current, "proving", prove, tell)

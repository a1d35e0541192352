"""Kernels: what boots next?"""

from __future__ import annotations

from typing import TYPE_CHECKING

from brave_bridge.tui.dialogs import ConfirmByName
from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.core.boot.trial_way import TrialWay
    from brave_bridge.workbench.pages.page import Page, Row


class KernelsWorkspace(Workspace):
    """The kernels on the machine, and the chain from the firmware to the root."""

    KEY, NAME, WORDS = "8", "kernels", "Kernels"
    CHOSEN = {"boot-once": "boot_once"}
    ENTER = "boot once"

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.kernels import kernels_page

        return kernels_page(record)

    def boot_once(self, row: Row) -> None:
        """Have the kernel under the cursor tried at the next boot, once it is agreed to."""
        from brave_bridge.workbench.booting import begin_boot_once, must_be_tried_once

        name, kernel = self.app.harbour.current, row.key

        def ask(way: TrialWay) -> None:
            lines = [f"Kernel {kernel} is tried at the next boot alone.", "", way.fails, way.hangs]
            self.app.push_screen(ConfirmByName("Boot it once", lines, name), begin)

        def begin(agreed: bool | None) -> None:
            if agreed:
                self.set_going(
                    name,
                    "trying a kernel",
                    lambda desk: begin_boot_once(desk, kernel, unattended=False),
                )

        self.do(name, "looking how", lambda desk: must_be_tried_once(desk.facts(), kernel), ask)

"""Kernels: what boots next?"""

from __future__ import annotations

from typing import TYPE_CHECKING

from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.workbench.pages.page import Page


class KernelsWorkspace(Workspace):
    """The kernels on the machine."""

    KEY, NAME, WORDS = "8", "kernels", "Kernels"

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.kernels import kernels_page

        return kernels_page(record)

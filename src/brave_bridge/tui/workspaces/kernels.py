"""Kernels: what boots next?"""

from brave_bridge.tui.workspaces.base import Workspace
from brave_bridge.workbench.pages.kernels import kernels_page
from brave_bridge.workbench.pages.page import Page


class KernelsWorkspace(Workspace):
    """The kernels on the machine."""

    KEY, NAME, WORDS = "8", "kernels", "Kernels"

    def page(self, record, harbour) -> Page:
        return kernels_page(record)

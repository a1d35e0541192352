"""Configs: whose version?"""

from brave_bridge.tui.workspaces.base import Workspace
from brave_bridge.workbench.pages.configs import configs_page
from brave_bridge.workbench.pages.page import Page


class ConfigsWorkspace(Workspace):
    """Config files changed here or set aside."""

    KEY, NAME, WORDS = "9", "configs", "Configs"

    def page(self, record, harbour) -> Page:
        return configs_page(record)

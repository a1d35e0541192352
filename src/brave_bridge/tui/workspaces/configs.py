"""Configs: whose version?"""

from __future__ import annotations

from typing import TYPE_CHECKING

from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.workbench.pages.page import Page


class ConfigsWorkspace(Workspace):
    """Config files changed here or set aside."""

    KEY, NAME, WORDS = "9", "configs", "Configs"

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.configs import configs_page

        return configs_page(record)

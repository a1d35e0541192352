"""Ways back: can I return, and at what price?"""

from __future__ import annotations

from typing import TYPE_CHECKING

from textual.binding import Binding

from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.workbench.pages.page import Page


class WaysBackWorkspace(Workspace):
    """The snapshots: take, look into, decide, return."""

    KEY, NAME, WORDS = "7", "ways_back", "Ways back"
    BINDINGS = [
        Binding("b", "app.snapshot", "take one"),
        Binding("l", "app.look_into", "look into it"),
        Binding("m", "app.mark", "mark it to compare with another"),
        Binding("v", "app.verify", "verify"),
        Binding("k", "app.pin", "pin, unpin"),
        Binding("e", "app.end_later", "end later"),
        Binding("d", "app.delete_way_back", "delete"),
        Binding("c", "app.card", "recovery card"),
    ]

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.ways_back import ways_back_page

        return ways_back_page(record)

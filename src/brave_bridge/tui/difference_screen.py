"""What differs between a way back and the machine: a tree with sizes, and each file's lines."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text
from textual import work
from textual.app import ComposeResult
from textual.containers import Horizontal, VerticalScroll
from textual.screen import Screen
from textual.widgets import Static, Tree

from brave_bridge.core.formats.text import byte_size, counted, plain
from brave_bridge.tui.dialogs import ConfirmByName

if TYPE_CHECKING:
    from brave_bridge.core.ways_back.difference_tree import Node
    from brave_bridge.tui.harbour import Harbour

_MARKS = {"came": "+", "gone": "−", "changed": "~", "attributes": "·", "": " "}
_WORDS = {
    "came": "came since: a return takes it away",
    "gone": "is gone: a return brings it back",
    "changed": "changed: a return brings the old content",
    "attributes": "same content, other owner, mode or time",
    "": "what is in it differs",
}


class DifferenceScreen(Screen):
    """Looks into one way back of a machine: against the machine, or ``after``, another one."""

    BINDINGS = [("escape,q", "dismiss", "back"), ("r", "put_back", "put this back")]
    DEFAULT_CSS = """
    DifferenceScreen { background: $background; }
    DifferenceScreen > Static { height: 1; padding: 0 1; color: $secondary; }
    DifferenceScreen Tree { width: 1fr; background: $background; }
    DifferenceScreen VerticalScroll { width: 1fr; padding: 0 1; border-left: solid $panel; }
    """

    def __init__(
        self, harbour: Harbour, machine: str, identifier: str, top: Node, after: str = ""
    ) -> None:
        super().__init__()
        self.after = after
        self.harbour = harbour
        self.machine = machine
        self.identifier = identifier
        self.top = top

    def compose(self) -> ComposeResult:
        words = (
            f"{self.after or self.machine + ' now'} against {self.identifier} · "
            f"{counted(self.top.count, 'difference')} · {_growth(self.top)}"
        )
        yield Static(Text(words))
        with Horizontal():
            tree: Tree[Node] = Tree(_label(self.top), data=self.top)
            tree.guide_depth = 2
            yield tree
            with VerticalScroll():
                yield Static(id="difference-lines")
        yield Static(Text("Enter opens a folder · r puts back what is pointed at · Esc goes back"))

    def on_mount(self) -> None:
        tree = self.query_one(Tree)
        self._fill(tree.root, self.top)
        tree.root.expand()
        tree.focus()
        if not self.top.count:
            self._tell(Text("Nothing that it covers has changed since."))

    @staticmethod
    def _fill(branch, node: Node) -> None:
        for inner in node.ordered():
            if inner.inner:
                branch.add(_label(inner), data=inner)
            else:
                branch.add_leaf(_label(inner), data=inner)

    def on_tree_node_expanded(self, event: Tree.NodeExpanded) -> None:
        if event.node.data is not None and not event.node.children:
            self._fill(event.node, event.node.data)

    def on_tree_node_highlighted(self, event: Tree.NodeHighlighted) -> None:
        node = event.node.data
        if node is None:
            return
        head = Text(f"/{plain(node.path)}\n", style="bold")
        words = _WORDS["" if node.inner and node.how == "attributes" else node.how]
        head.append(f"{words}\n", style="not bold")
        head.append(f"{byte_size(node.before)} then, {byte_size(node.after)} now\n\n")
        self._tell(head)
        if node.how in ("changed", "came", "gone") and not node.inner and not node.folder:
            self._read_lines(node, head)

    def _tell(self, text: Text) -> None:
        self.query_one("#difference-lines", Static).update(text)

    @work(thread=True, exclusive=True, group="lines")
    def _read_lines(self, node: Node, head: Text) -> None:
        from brave_bridge.workbench.ways.file_difference import file_difference

        lines = self.harbour.do(
            self.machine,
            lambda desk: file_difference(desk, self.identifier, node.path, self.after),
        )
        self.app.call_from_thread(self._show_lines, node, head, lines)

    def _show_lines(self, node: Node, head: Text, lines: list[str]) -> None:
        pointed = self.query_one(Tree).cursor_node
        if pointed is None or pointed.data is not node:
            return
        colours = self.app.theme_variables
        for line in lines:
            style = {"+": colours["success"], "-": colours["error"], "@": colours["secondary"]}
            head.append(plain(line, 300) + "\n", style=style.get(line[:1], ""))
        self._tell(head)

    def action_put_back(self) -> None:
        """Put the path under the cursor back, once the machine's name is given."""
        node = self.query_one(Tree).cursor_node
        if node is None or node.data is None or not node.data.path:
            return
        path = node.data.path
        if node.data.how == "came":
            self.notify("The way back does not have it.", severity="warning")
            return
        lines = [
            f"/{plain(path)} becomes what {self.identifier} has, with all below it.",
            "What is there now goes. Everything else stays as it is.",
        ]

        def put(agreed: bool | None) -> None:
            if agreed:
                self._put_back(path)

        self.app.push_screen(ConfirmByName("Put one path back", lines, self.machine), put)

    @work(thread=True, group="deeds")
    def _put_back(self, path: str) -> None:
        from brave_bridge.machines.port import MachineError
        from brave_bridge.workbench.refusal import Refused
        from brave_bridge.workbench.ways.ways_back import WaysBack

        try:
            words = self.harbour.do(
                self.machine, lambda desk: WaysBack(desk).put_back(self.identifier, path)
            )
        except Refused as refusal:
            self.app.call_from_thread(self.app.doing.refused, refusal.what, refusal.why, "")
        except MachineError as error:
            told = (error.attempted, error.seen, error.remedy)
            self.app.call_from_thread(self.app.doing.refused, *told)
        else:
            self.app.call_from_thread(self.app.notify, plain(words))
            self.app.call_from_thread(self.dismiss)


def _label(node: Node) -> Text:
    name = f"{_MARKS[node.how]} {plain(node.name, 60)}"
    count = f" {node.count}" if node.inner else ""
    return Text.assemble(name, (f"{count}  {_growth(node)}", "dim"))


def _growth(node: Node) -> str:
    if node.growth == 0:
        return "same size"
    sign = "+" if node.growth > 0 else "−"
    return f"{sign}{byte_size(abs(node.growth))}"

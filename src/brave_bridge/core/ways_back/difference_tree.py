"""Differences of two trees as a tree of their own: folders with counts and sizes."""

from collections.abc import Iterable

import msgspec


class Changed(msgspec.Struct, frozen=True):
    """A path that differs: how (``came``, ``gone``, ``changed``, ``attributes``), and sizes."""

    path: str
    how: str
    before: int = 0
    after: int = 0
    folder: bool = False


class Node(msgspec.Struct):
    """A folder or file of the tree. Counts and bytes are those of all below it."""

    name: str
    path: str
    how: str = ""
    """Of the path itself; empty where only what is below it differs."""
    folder: bool = True
    count: int = 0
    before: int = 0
    after: int = 0
    inner: dict[str, "Node"] = {}

    def ordered(self) -> "list[Node]":
        """What is in it, folders first, each by name."""
        return sorted(self.inner.values(), key=lambda node: (not node.folder, node.name))

    @property
    def growth(self) -> int:
        """How many bytes more there are after."""
        return self.after - self.before


def difference_tree(changes: Iterable[Changed]) -> Node:
    """The tree of all that differs; its top is the root folder."""
    top = Node("/", "")
    for change in changes:
        node = top
        pieces = change.path.split("/") if change.path else []
        _count(node, change)
        for depth, name in enumerate(pieces):
            inner = node.inner.get(name)
            if inner is None:
                inner = Node(name, "/".join(pieces[: depth + 1]))
                node.inner[name] = inner
            node = inner
            _count(node, change)
        node.how = change.how
        node.folder = change.folder
    return top


def _count(node: Node, change: Changed) -> None:
    node.count += 1
    node.before += change.before
    node.after += change.after

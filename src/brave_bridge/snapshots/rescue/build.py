"""Putting the rescue tool together: one file out of the modules that a return consists of.

``python -m brave_bridge.snapshots.rescue.build FILE`` writes it. Each module goes in as it
is, but for what older Pythons (from 3.7 on) do not know.
"""

import ast
import importlib.util
import os
import sys
from pathlib import Path

from brave_bridge.machines.folder import replace_file

NAME = "brave-bridge-rescue"
MODULES = (
    "core.formats.proc", "core.formats.text", "machines.rooted", "snapshots.hashing",
    "snapshots.manifest", "snapshots.cover", "snapshots.files", "snapshots.folders",
    "snapshots.tree_removal",
    "snapshots.mounts", "snapshots.writing", "snapshots.journal", "snapshots.comparing",
    "snapshots.compare", "snapshots.staging", "snapshots.moving", "snapshots.swap_order",
    "snapshots.emptying", "snapshots.removing", "snapshots.flushing", "snapshots.checking",
    "snapshots.restore", "snapshots.rescue.tool",
)  # fmt: skip

_HEAD = '''#!/usr/bin/env python3
"""brave-bridge-rescue: list, verify and return ways back with nothing but plain Python 3.7+.

Put together from the modules of Brave Bridge; see brave-bridge-rescue --help.
"""
import importlib.abc, importlib.util, sys

_SOURCES = {}
'''
_TAIL = """

class _Finder(importlib.abc.MetaPathFinder, importlib.abc.Loader):
    def find_spec(self, name, path=None, target=None):
        if name in _SOURCES:
            return importlib.util.spec_from_loader(name, self, is_package=_SOURCES[name] is None)

    def create_module(self, spec):
        return None

    def exec_module(self, module):
        source = _SOURCES[module.__name__]
        if source is not None:
            exec(compile(source, "<%s>" % module.__name__, "exec"), module.__dict__)


sys.dont_write_bytecode = True
sys.meta_path.insert(0, _Finder())
from brave_bridge.snapshots.rescue import stand_ins

stand_ins.install()
from brave_bridge.snapshots.rescue import tool

if __name__ == "__main__":
    sys.exit(tool.main())
"""


class _ForOlderPythons(ast.NodeTransformer):
    """Takes out what Python 3.7 does not know, and what only a type checker reads."""

    def visit_ImportFrom(self, node: ast.ImportFrom) -> ast.stmt | list[ast.stmt] | None:
        names = {alias.name for alias in node.names}
        if node.module == "importlib.resources":
            return None
        if node.module == "functools" and "cache" in names:
            return ast.parse(
                "from functools import lru_cache\ncache = lru_cache(maxsize=None)"
            ).body
        if node.module == "datetime" and "UTC" in names:
            return ast.parse("from datetime import datetime, timezone\nUTC = timezone.utc").body
        return node

    def visit_Call(self, node: ast.Call) -> ast.AST:
        self.generic_visit(node)
        if isinstance(node.func, ast.Name) and node.func.id == "zip":
            node.keywords = []
        return node

    def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.stmt:
        if isinstance(node.value, ast.Subscript) and isinstance(node.value.value, ast.Name):
            node.value = node.value.value
        return self.generic_visit(node)

    def visit_Assign(self, node: ast.Assign) -> ast.stmt | None:
        # Names for types, which older Pythons cannot evaluate and nothing needs.
        is_alias = isinstance(node.value, ast.Subscript) and isinstance(node.value.value, ast.Name)
        if is_alias and node.value.value.id in ("Callable", "tuple", "dict", "list"):
            return None
        return self.generic_visit(node)


def rescue_tool() -> str:
    """The text of the tool."""
    pieces = [_HEAD]
    packages = {"brave_bridge", *(f"brave_bridge.{p}" for p in _packages())}
    pieces += [f"_SOURCES[{name!r}] = None\n" for name in sorted(packages)]
    for name in (*MODULES, "snapshots.rescue.stand_ins"):
        pieces.append(f"_SOURCES['brave_bridge.{name}'] = {_plain(name)!r}\n")
    return "".join(pieces) + _TAIL


def _packages() -> set[str]:
    found = set()
    for module in MODULES:
        parts = module.split(".")[:-1]
        found |= {".".join(parts[: n + 1]) for n in range(len(parts))}
    return found


def _plain(name: str) -> str:
    spec = importlib.util.find_spec(f"brave_bridge.{name}")
    tree = ast.parse(Path(spec.origin).read_text(encoding="utf-8"))
    plain = _ForOlderPythons().visit(tree)
    future = ast.parse("from __future__ import annotations").body
    first = 1 if ast.get_docstring(plain) else 0
    plain.body[first:first] = future
    return ast.unparse(ast.fix_missing_locations(plain))


def keep_rescue_tool(folder: Path) -> Path:
    """The tool in a folder, written anew where that is older than what it is put together from.

    OSError where it cannot be written.
    """
    path = folder / NAME
    newest = max(os.stat(origin).st_mtime for origin in _origins())
    if not path.is_file() or path.stat().st_mtime < newest:
        write_rescue_tool(path)
    return path


def _origins() -> list[str]:
    names = (*MODULES, "snapshots.rescue.stand_ins", "snapshots.rescue.build")
    return [importlib.util.find_spec(f"brave_bridge.{name}").origin for name in names]


def write_rescue_tool(path: Path) -> None:
    """Write the tool in one step, to be run by its owner. OSError."""
    replace_file(path, rescue_tool().encode(), 0o755)


if __name__ == "__main__":
    write_rescue_tool(Path(sys.argv[1]))

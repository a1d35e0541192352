"""Putting a file of plain Python together out of modules of ours.

Each module goes in as it is, but for what older Pythons (from 3.7 on) do not know.
"""

import ast
import importlib.util
from collections.abc import Sequence
from pathlib import Path

_RECORDS = "machines.plain.records"

_HEAD = '''#!/usr/bin/env python3
"""{}

Plain Python 3.7+, put together from the modules of Brave Bridge.
"""
import importlib.abc, importlib.util, sys

_SOURCES = {{}}
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
from brave_bridge.machines.plain import records

records.install()
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
        if node.module == "typing" and "Protocol" in names:
            rest = ", ".join(sorted(names - {"Protocol"}))
            kept = f"from typing import {rest}\n" if rest else ""
            return ast.parse(f"{kept}Protocol = object").body
        if node.module == "datetime" and "UTC" in names:
            return ast.parse("from datetime import datetime, timezone\nUTC = timezone.utc").body
        return node

    def visit_Call(self, node: ast.Call) -> ast.AST:
        self.generic_visit(node)
        if isinstance(node.func, ast.Name) and node.func.id == "zip":
            node.keywords = []
        node.keywords = [word for word in node.keywords if word.arg != "usedforsecurity"]
        return node

    def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.AST:
        if isinstance(node.value, ast.Subscript) and isinstance(node.value.value, ast.Name):
            node.value = node.value.value
        return self.generic_visit(node)

    def visit_Assign(self, node: ast.Assign) -> ast.AST:
        # Names for types, which older Pythons cannot evaluate and other modules may import.
        if _is_union(node.value) or _is_of_types(node.value):
            node.value = ast.Name("object", ast.Load())
            return node
        return self.generic_visit(node)


def _is_of_types(value: ast.expr) -> bool:
    """Whether it is a type that says what is in it: ``tuple[str, int]``."""
    named = value.value if isinstance(value, ast.Subscript) else None
    return isinstance(named, ast.Name) and named.id in ("Callable", "tuple", "dict", "list")


def _is_union(value: ast.expr) -> bool:
    """Whether it joins classes: ``One | Another``."""
    return (
        isinstance(value, ast.BinOp)
        and isinstance(value.op, ast.BitOr)
        and all(_is_class(one) or _is_union(one) for one in (value.left, value.right))
    )


def _is_class(value: ast.expr) -> bool:
    return isinstance(value, ast.Name) and value.id[0].isupper() and not value.id.isupper()


def one_file(about: str, modules: Sequence[str], last: str) -> str:
    """The text of a file out of modules (named from ``brave_bridge.`` on), in any order.

    ``about`` is a sentence for its docstring, ``last`` the lines that it ends with.
    """
    names = (*modules, _RECORDS)
    pieces = [_HEAD.format(about)]
    packages = {"brave_bridge", *(f"brave_bridge.{name}" for name in _packages(names))}
    pieces += [f"_SOURCES[{name!r}] = None\n" for name in sorted(packages)]
    pieces += [f"_SOURCES['brave_bridge.{name}'] = {_plain(name)!r}\n" for name in names]
    return "".join(pieces) + _TAIL + last


def origins(modules: Sequence[str]) -> list[str]:
    """The files that such a file is put together from."""
    return [str(_origin(name)) for name in (*modules, _RECORDS, "machines.plain.build")]


def _packages(names: Sequence[str]) -> set[str]:
    found = set()
    for name in names:
        parts = name.split(".")[:-1]
        found |= {".".join(parts[: n + 1]) for n in range(len(parts))}
    return found


def _origin(name: str) -> Path:
    spec = importlib.util.find_spec(f"brave_bridge.{name}")
    if spec is None or spec.origin is None:
        raise ImportError(f"there is no module {name}")
    return Path(spec.origin)


def _plain(name: str) -> str:
    plain = _ForOlderPythons().visit(ast.parse(_origin(name).read_text(encoding="utf-8")))
    future = ast.parse("from __future__ import annotations").body
    first = 1 if ast.get_docstring(plain) else 0
    plain.body[first:first] = future
    return ast.unparse(ast.fix_missing_locations(plain))

"""Conditions of the Kconfig language: whether they hold, and what of them does not.

Follows the kernel's Documentation/kbuild/kconfig-language.rst, "Menu dependencies": values are
``n``, ``m`` and ``y`` in that order, ``&&`` is the lesser of two and ``||`` the greater.
"""

import re
from collections.abc import Mapping

_TOKEN = re.compile(
    r"\s*(?:(?P<op>&&|\|\||!=|<=|>=|[()!=<>])|\"(?P<text>(?:[^\"\\]|\\.)*)\"|'(?P<other>[^']*)'"
    r"|(?P<word>[\w.\-/]+))"
)
_LEVEL = {"n": 0, "m": 1, "y": 2}
_DEEPEST = 60


class BadCondition(ValueError):
    """A condition that does not follow the language."""


class Condition:
    """A condition, read once. BadCondition where it is none."""

    def __init__(self, text: str) -> None:
        self.text = " ".join(text.split())
        self._tokens = _tokens(text)
        self._at = 0
        self._depth = 0
        self._tree = self._either()
        if self._at != len(self._tokens):
            raise BadCondition(f"more than one condition: {text}")

    def holds(self, values: Mapping[str, str]) -> bool:
        """Whether it comes to ``m`` or ``y`` with these values of options."""
        return _level(self._tree, values) > 0

    def failing(self, values: Mapping[str, str]) -> list[str]:
        """The parts, joined by ``&&``, that do not hold."""
        return [_said(part) for part in _parts(self._tree) if not _level(part, values)]

    def _next(self) -> tuple[str, str]:
        if self._at >= len(self._tokens):
            raise BadCondition(f"it ends too early: {self.text}")
        self._at += 1
        return self._tokens[self._at - 1]

    def _is(self, operator: str) -> bool:
        found = self._at < len(self._tokens) and self._tokens[self._at] == ("op", operator)
        self._at += found
        return found

    def _either(self) -> tuple:
        tree = self._both()
        while self._is("||"):
            tree = ("||", tree, self._both())
        return tree

    def _both(self) -> tuple:
        tree = self._one()
        while self._is("&&"):
            tree = ("&&", tree, self._one())
        return tree

    def _one(self) -> tuple:
        self._depth += 1
        if self._depth > _DEEPEST:
            raise BadCondition("nested too deep")
        try:
            if self._is("!"):
                return ("!", self._one())
            if self._is("("):
                tree = self._either()
                if not self._is(")"):
                    raise BadCondition(f"a bracket is not closed: {self.text}")
                return tree
            left = self._next()
            if left[0] == "op":
                raise BadCondition(f"{left[1]} where a name is expected: {self.text}")
            for operator in ("=", "!=", "<=", ">=", "<", ">"):
                if self._is(operator):
                    return (operator, left, self._next())
            return left
        finally:
            self._depth -= 1


def _tokens(text: str) -> list[tuple[str, str]]:
    found, at = [], 0
    text = text.strip()
    while at < len(text):
        if text.startswith("$(", at):
            end = _end_of_macro(text, at)
            found.append(("macro", text[at:end]))
            at = end
            continue
        match = _TOKEN.match(text, at)
        if match is None:
            raise BadCondition(f"not understood: {text[at : at + 40]}")
        kind = match.lastgroup or ""
        found.append(("text" if kind == "other" else kind, match[kind]))
        at = match.end()
        at += len(text[at:]) - len(text[at:].lstrip())
    return found


def _end_of_macro(text: str, start: int) -> int:
    """Where a macro ends, whose brackets may have others in them."""
    depth = 0
    for at in range(start + 1, len(text)):
        depth += {"(": 1, ")": -1}.get(text[at], 0)
        if depth == 0:
            return at + 1
    raise BadCondition(f"a macro is not closed: {text[start : start + 40]}")


def _level(tree: tuple, values: Mapping[str, str]) -> int:
    kind = tree[0]
    if kind == "&&":
        return min(_level(tree[1], values), _level(tree[2], values))
    if kind == "||":
        return max(_level(tree[1], values), _level(tree[2], values))
    if kind == "!":
        return 2 - _level(tree[1], values)
    if kind in ("=", "!=", "<", ">", "<=", ">="):
        return 2 if _compared(kind, _value(tree[1], values), _value(tree[2], values)) else 0
    # What a macro asks of the compiler is not known here: it is taken to hold.
    return 2 if kind == "macro" else _LEVEL.get(_value(tree, values), 0)


def _value(token: tuple, values: Mapping[str, str]) -> str:
    kind, word = token
    if kind == "word" and word not in _LEVEL and not word.lstrip("-")[:1].isdigit():
        return values.get(word, "n").strip('"')
    return word


def _compared(operator: str, left: str, right: str) -> bool:
    if operator in ("=", "!="):
        return (left == right) == (operator == "=")
    try:
        one, other = int(left, 0), int(right, 0)
    except ValueError:
        return False
    return {"<": one < other, ">": one > other, "<=": one <= other, ">=": one >= other}[operator]


def _parts(tree: tuple) -> list[tuple]:
    return [*_parts(tree[1]), *_parts(tree[2])] if tree[0] == "&&" else [tree]


def _said(tree: tuple) -> str:
    kind = tree[0]
    if kind in ("&&", "||"):
        return f"({_said(tree[1])} {kind} {_said(tree[2])})"
    if kind == "!":
        return f"!{_said(tree[1])}"
    if kind in ("=", "!=", "<", ">", "<=", ">="):
        return f"{_said(tree[1])} {kind} {_said(tree[2])}"
    return f'"{tree[1]}"' if kind == "text" else tree[1]

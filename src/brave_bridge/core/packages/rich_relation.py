"""Boolean dependencies of rpm (rpm's manual, *Boolean Dependencies*) as clauses.

``or``, ``and``, ``if`` (with ``else``) and ``with`` are read. ``unless`` and ``without``, and
anything nested deeper than these, become a clause that asks for nothing, so that they never
make a plan impossible that rpm would carry out; rpm itself judges them before a crossing.
"""

import re

from brave_bridge.core.packages.relation import Atom, Clause
from brave_bridge.core.versions.rpm import version_key

_TOKEN = re.compile(r"\(|\)|(?:[^\s()]|\([^\s()]*\))+")
_OPERATORS = ("<", "<=", "=", ">=", ">")
_WORDS = ("or", "and", "if", "else", "with", "without", "unless")
_DEEPEST = 20


class _Unreadable(ValueError):
    """A relation that is not of the forms that are read."""


def rich_clauses(text: str) -> list[Clause]:
    """The clauses that together say what a boolean dependency says."""
    tokens = _TOKEN.findall(text)
    try:
        tree = _Parser(tokens).whole()
        return [Clause(atoms, text, unless) for atoms, unless in _clauses_of(tree)]
    except (_Unreadable, IndexError):
        return []


class _Parser:
    def __init__(self, tokens: list[str]) -> None:
        self.tokens = tokens
        self.place = 0

    def whole(self):
        tree = self._group(0)
        if self.place != len(self.tokens):
            raise _Unreadable
        return tree

    def _next(self) -> str:
        self.place += 1
        return self.tokens[self.place - 1]

    def _peek(self) -> str:
        return self.tokens[self.place] if self.place < len(self.tokens) else ""

    def _group(self, depth: int):
        """``( operand word operand ... )``: the word and the operands."""
        if depth > _DEEPEST or self._next() != "(":
            raise _Unreadable
        operands, words = [self._operand(depth)], []
        while self._peek() != ")":
            words.append(self._next())
            operands.append(self._operand(depth))
        self._next()
        if any(word not in _WORDS for word in words):
            raise _Unreadable
        return words, operands

    def _operand(self, depth: int):
        if self._peek() == "(":
            return self._group(depth + 1)
        name = self._next()
        if self._peek() in _OPERATORS:
            operator, version = self._next(), self._next()
            return Atom(name, operator, version_key(version), version=version)
        return Atom(name)


def _clauses_of(tree) -> list[tuple[tuple[Atom, ...], tuple[Atom, ...]]]:
    """Alternatives, and the atoms that must stand for them to be asked for."""
    if isinstance(tree, Atom):
        return [((tree,), ())]
    words, operands = tree
    kinds = set(words)
    if not words:
        return _clauses_of(operands[0])
    if kinds == {"and"} or kinds == {"with"}:
        return [clause for operand in operands for clause in _clauses_of(operand)]
    if kinds == {"or"}:
        return [(tuple(atom for operand in operands for atom in _plain(operand)), ())]
    if words == ["if"] and isinstance(operands[1], Atom):
        return [(atoms, (*unless, operands[1])) for atoms, unless in _clauses_of(operands[0])]
    if words == ["if", "else"] and isinstance(operands[1], Atom):
        conditional = [(a, (*u, operands[1])) for a, u in _clauses_of(operands[0])]
        otherwise = [((*a, operands[1]), u) for a, u in _clauses_of(operands[2])]
        return conditional + otherwise
    raise _Unreadable


def _plain(tree) -> tuple[Atom, ...]:
    clauses = _clauses_of(tree)
    if len(clauses) != 1 or clauses[0][1]:
        raise _Unreadable
    return clauses[0][0]

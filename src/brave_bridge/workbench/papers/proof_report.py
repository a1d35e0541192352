"""A proof for whoever asked for the work: as Markdown, and as one printed page."""

from collections.abc import Iterator
from pathlib import Path

from brave_bridge.core.formats.text import counted, plain
from brave_bridge.core.proof.compare import Proof
from brave_bridge.core.proof.difference import (
    BETTER,
    EXPECTED,
    NOT_READ,
    REGRESSION,
    UNEXPLAINED,
    Difference,
)
from brave_bridge.drawings.document import Part, Section, save_document
from brave_bridge.workbench.pictures.proof import proof_picture

_HEADS = {
    REGRESSION: "Worse than before",
    NOT_READ: "Not read, though it was before",
    UNEXPLAINED: "Changed, and nothing explains it",
    BETTER: "Better than before",
    EXPECTED: "Changed as planned",
}
_MOST_ON_A_PAGE = 24
"""Rows of a group on the printed page: how many more there are is said."""


def markdown(machine: str, title: str, proof: Proof) -> Iterator[str]:
    """The proof as Markdown (CommonMark with tables), line by line."""
    yield f"# {machine}: {proof.words}"
    yield ""
    yield title
    for verdict, head in _HEADS.items():
        rows = [one for one in proof.differences if one.verdict == verdict]
        if rows:
            yield from ("", f"## {head}", "")
            yield "| point | before | after | meaning |"
            yield "|---|---|---|---|"
            yield from (_row(one) for one in rows)
    yield from ("", f"{counted(_held(proof), 'point')} as before.")
    if proof.tasks:
        yield from ("", "## Left to a person", "")
        yield from (f"- [ ] {_cell(task.text)}" for task in proof.tasks)


def _held(proof: Proof) -> int:
    return sum(int(one.after) if one.subject == one.topic else 1 for one in proof.same)


def _row(one: Difference) -> str:
    topic = f"{one.topic}: " if one.topic else ""
    cells = (topic + one.subject, one.before, one.after, one.meaning)
    return "| " + " | ".join(map(_cell, cells)) + " |"


def _cell(text: str) -> str:
    return plain(text).replace("\\", "\\\\").replace("|", "\\|").replace("\n", " ")


def save_report(machine: str, title: str, proof: Proof, path: Path) -> Path:
    """The proof on one printed page, as PDF; its path."""
    part = Part(
        title=f"{machine}: {proof.words}",
        about=title,
        picture=proof_picture(proof),
        sections=tuple(_sections(proof)),
        columns=2,
    )
    save_document([part], path)
    return path


def _sections(proof: Proof) -> Iterator[Section]:
    for verdict, head in _HEADS.items():
        rows = [one for one in proof.differences if one.verdict == verdict]
        lines = [_line(one) for one in rows[:_MOST_ON_A_PAGE]]
        if len(rows) > _MOST_ON_A_PAGE:
            lines.append(f"and {len(rows) - _MOST_ON_A_PAGE} more (brave-bridge proof)")
        if lines:
            yield Section(head, tuple(lines))
    if proof.tasks:
        yield Section("Left to a person", tuple(f"- {plain(task.text)}" for task in proof.tasks))


def _line(one: Difference) -> str:
    meaning = f": {plain(one.meaning)}" if one.meaning else ""
    return f"- {plain(one.subject)}: {plain(one.before)} → {plain(one.after)}{meaning}"

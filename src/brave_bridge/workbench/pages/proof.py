"""The Proof page: is it as good as before?"""

from brave_bridge.core.formats.text import counted, plain
from brave_bridge.core.proof.compare import TaskToDo
from brave_bridge.core.proof.difference import Difference
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, said, task_why, title
from brave_bridge.workbench.pictures.proof import proof_picture
from brave_bridge.workbench.record import MachineRecord

COLUMNS = (
    Column("", 2),
    Column("point", 40),
    Column("before", 16),
    Column("after", 16),
    Column("meaning"),
)


_ABOUT = (
    title("What a proof compares"),
    *said(
        "Release, package count, broken packages, the versions of chosen tools, config files "
        "and sources: before the crossing and after it, or a return against its snapshot.",
        "What is worse than before comes first. What the plan meant to change is told apart.",
    ),
    Note("code", "brave-bridge proof"),
)


def proof_page(record: MachineRecord) -> Page:
    """Before and after, what is worse first."""
    proof = record.proof
    if proof is None:
        return Page(
            "nothing to prove",
            COLUMNS,
            (),
            "A proof is made at the end of a crossing, against the baseline before it.",
            _ABOUT,
        )
    worse = [d for d in proof.differences if d.verdict == "regression"]
    expected = [d for d in proof.differences if d.verdict == "expected"]
    rows: list[Row] = []
    for words, differences, tone, mark in (
        (f"{counted(len(worse), 'point')} worse than before", worse, "stop", "■"),
        (f"{counted(len(expected), 'point')} changed as planned", expected, "plain", "●"),
        (f"{counted(len(proof.same), 'point')} as before", proof.same, "quiet", "●"),
    ):
        if differences:
            rows.append(Row(f"heading:{words}", ("", words, "", "", ""), "heading"))
            rows += [_row(difference, tone, mark) for difference in differences]
    left = proof.without_done(record.tasks_done).tasks
    if proof.tasks:
        words = (
            f"{counted(len(left), 'thing')} left to do by a person"
            if left
            else ("all that was left to a person is done")
        )
        rows.insert(0, Row(f"heading:{words}", ("", words, "", "", ""), "heading"))
        rows[1:1] = [_task_row(task, task not in left) for task in proof.tasks]
    summary = "as good as before" if proof.passed else "something is worse than before"
    mark = "●" if proof.passed else "■"
    picture = proof_picture(proof)
    return Page(f"{mark} {summary}", COLUMNS, tuple(rows), picture=picture)


_MEANINGS = {
    "expected": "The plan meant to change this.",
    "regression": "The plan did not mean to change this.",
    "same": "It is as it was before.",
}


def _task_row(task: TaskToDo, is_done: bool) -> Row:
    """A step of the legs that only a person can do; Enter says that it is done."""
    return Row(
        key=f"task:{task.key}",
        cells=("☑" if is_done else "☐", plain(task.text), "", "", ""),
        tone="quiet" if is_done else "caution",
        why=task_why(plain(task.text), "The legs are crossed; this is left to a person.", is_done),
        action="task",
    )


def _row(difference: Difference, tone: str, mark: str) -> Row:
    return Row(
        key=f"{difference.verdict}:{difference.subject}",
        cells=(
            mark,
            plain(difference.subject),
            plain(difference.before),
            plain(difference.after),
            plain(difference.meaning),
        ),
        tone=tone,
        why=(
            title(plain(difference.subject)),
            Note("seen", f"before: {plain(difference.before)}"),
            Note("seen", f"after: {plain(difference.after)}"),
            *said(plain(difference.meaning) or _MEANINGS[difference.verdict]),
            *([Note("do", "look at it, or go back (7)")] if tone == "stop" else []),
        ),
    )

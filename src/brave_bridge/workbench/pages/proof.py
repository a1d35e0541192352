"""The Proof page: is it as good as before?"""

from brave_bridge.core.formats.text import counted, plain
from brave_bridge.core.proof.compare import TaskToDo
from brave_bridge.core.proof.difference import (
    BETTER,
    DATA,
    EXPECTED,
    NOT_READ,
    REGRESSION,
    SAME,
    SURFACE,
    UNEXPLAINED,
    Difference,
    PlannedChange,
)
from brave_bridge.core.proof.repeats import Repeats
from brave_bridge.workbench.pages.page import Column, Note, OfTask, Page, Row, said, task_why, title
from brave_bridge.workbench.pictures.proof import key_of, proof_picture
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
        "What the legs were to bring, and twenty-four topics of the machine: units, settings, "
        "ports, mounts, pools, shares, guests, accounts, network, firewall, devices and more, "
        "before the crossing and after it; or a return against its snapshot.",
        "What is worse comes first, faults of the data before those of the surface; then what "
        "nothing explains. What the plan meant to change is told apart.",
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
    rows: list[Row] = []
    for verdict, said_of_it, tone, mark in _GROUPS:
        differences = [d for d in (*proof.differences, *proof.same) if d.verdict == verdict]
        if differences:
            words = f"{counted(len(differences), 'point')} {said_of_it}"
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
    rows[:0] = _repeated_rows(record.repeats)
    mark = "●" if proof.passed else "■" if proof.worse else "▲"
    picture = proof_picture(proof)
    unread = next((key_of(one) for one in proof.not_read), "")
    worst = next((row.key for row in rows if row.tone == "stop"), unread)
    return Page(f"{mark} {proof.words}", COLUMNS, tuple(rows), start=worst, picture=picture)


def _repeated_rows(repeats: Repeats) -> list[Row]:
    """The repeated proofs of the crossing: what came undone, and when the next one is."""
    if not repeats.due:
        return []
    undone = repeats.came_undone()
    left = f"the next at {repeats.ahead[0][:16]} UTC" if repeats.ahead else "none is ahead"
    words = f"proven again {counted(len(repeats.made), 'time')}, {left}"
    why = (
        title("A cure may come undone"),
        *said(
            "The crossing is proven again over some days; its ways back end only when the last "
            "of these proofs has passed."
        ),
        *(Note("seen", f"{m.at[:16]} UTC: {m.words}") for m in repeats.made),
        Note("do", "v proves it now"),
    )
    rows = [Row("repeats", ("◷", words, "", "", ""), "quiet", why)]
    advice = Note("do", "i on the Route (3) writes a field note for others who face this leg")
    rows += [
        Row(
            f"undone:{name}",
            ("■", plain(name), "", "", "came undone since the crossing"),
            "stop",
            (title(plain(name)), *said("It was as before when the crossing ended."), advice),
        )
        for name in undone
    ]
    return rows


_GROUPS = (
    (REGRESSION, "worse than before", "stop", "■"),
    (NOT_READ, "not read, though it was before", "caution", "▲"),
    (UNEXPLAINED, "changed, and nothing explains it", "caution", "▲"),
    (BETTER, "better than before", "clear", "◆"),
    (EXPECTED, "changed as planned", "plain", "●"),
    (SAME, "as before", "quiet", "●"),
)
_MEANINGS = {
    EXPECTED: "The plan meant to change this.",
    REGRESSION: "The plan did not mean to change this.",
    NOT_READ: "Who was asked gave no answer: whether it is as before is not known.",
    UNEXPLAINED: "Nothing in the plan explains this: it may be as it should, or not.",
    BETTER: "It was worse before.",
    SAME: "It is as it was before.",
}
_ASK_AGAIN = Note("do", "v asks again; a machine that is less busy answers sooner")
_KINDS = {DATA: "a fault of the data: what is kept or served", SURFACE: "a fault of the surface"}


def _task_row(task: TaskToDo, is_done: bool) -> Row:
    """A step of the legs that only a person can do; Enter says that it is done."""
    return Row(
        key=f"task:{task.key}",
        of=OfTask(task.key),
        cells=("☑" if is_done else "☐", plain(task.text), "", "", ""),
        tone="quiet" if is_done else "caution",
        why=task_why(plain(task.text), "The legs are crossed; this is left to a person.", is_done),
        action="task",
    )


def _row(difference: Difference, tone: str, mark: str) -> Row:
    return Row(
        key=key_of(difference),
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
            *said(f"topic: {difference.topic}" if difference.topic else ""),
            *said(_KINDS.get(difference.kind, "")),
            *said(plain(difference.meaning) or _MEANINGS[difference.verdict]),
            *_explained(difference.because),
            *([Note("do", "look at it, or go back (7)")] if tone == "stop" else []),
            *([_ASK_AGAIN] if difference.verdict == NOT_READ else []),
        ),
    )


def _explained(because: PlannedChange | str | None) -> tuple[Note, ...]:
    """The plan's change that explains another; what an earlier version wrote of it is left out."""
    if not isinstance(because, PlannedChange):
        return ()
    words = f"the plan of leg {because.leg + 1} says so: {plain(because.package)}"
    return (Note("seen", words),)

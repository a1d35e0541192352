"""The Plan page: what will change?"""

from collections.abc import Iterable

from brave_bridge.core.crossing.cross import sources_diff
from brave_bridge.core.formats.text import byte_size, counted, plain
from brave_bridge.core.packages.changes import (
    ConfigQuestion,
    LegPlan,
    PackageChange,
    SourceOutcome,
)
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, said, title
from brave_bridge.workbench.record import MachineRecord

COLUMNS = (
    Column("", 2),
    Column("what", 30),
    Column("from", 17),
    Column("to", 17),
    Column("fetch", 9, right=True),
    Column("why"),
)


_ABOUT = (
    title("What planning does"),
    *said(
        "It reads the new release's signed indices into a folder of its own and lets the "
        "package manager simulate over them. The machine's sources and packages stay as they "
        "are.",
        "The plan names every package that would be upgraded, new, gone or kept back, with the "
        "reason, and asks about config files ahead.",
    ),
)


def plan_page(record: MachineRecord) -> Page:
    """The change list, leg by leg: questions first, then what goes, then the rest."""
    hints = (("p", "plan again"), ("Enter", "mine or theirs"), ("c", "cross"), ("/", "filter"))
    plan = record.plan
    if plan is None:
        goal = record.goal.title if record.goal else ""
        if record.waits_for:
            empty = f"Nothing to plan yet: this machine waits for {record.waits_for}."
        elif goal:
            empty = f"Not planned yet. p plans the way to {goal}; nothing is changed by that."
        else:
            empty = "There is no release to go to."
        return Page("no plan", COLUMNS, (), empty, hints, _ABOUT)
    rows = [row for leg in plan.legs for row in _leg_rows(leg, len(plan.legs) > 1)]
    download = sum(leg.download_bytes for leg in plan.legs)
    disk = sum(leg.disk_bytes for leg in plan.legs)
    more = "more" if disk >= 0 else "less"
    summary = (
        f"to {plan.legs[-1].leg.end.title}: {byte_size(download)} to fetch, "
        f"{byte_size(abs(disk))} {more} on disk{_takes(record)}, planned {plan.made_at[11:16]} UTC"
    )
    return Page(summary, COLUMNS, tuple(rows), hints=hints)


def _takes(record: MachineRecord) -> str:
    estimate = record.surveyed.estimate if record.surveyed else None
    return f", {estimate.words}" if estimate else ""


def _leg_rows(plan: LegPlan, several: bool) -> Iterable[Row]:
    if several:
        yield _heading(f"── {plan.leg.start.title} to {plan.leg.end.title} ──", plan)
    if plan.questions:
        yield _heading(f"{counted(len(plan.questions), 'question')} answered ahead", plan)
        yield from (_question_row(question) for question in plan.questions)
    yield _heading("sources", plan)
    yield from (_source_row(source, plan) for source in plan.sources)
    jumps = {change.name for change in plan.jumps}
    rest = tuple(change for change in plan.upgraded if change.name not in jumps)
    for words, changes, tone in (
        (f"{counted(len(plan.removed), 'package')} would go away", plan.removed, "caution"),
        (f"{counted(len(plan.kept_back), 'package')} kept back", plan.kept_back, "caution"),
        (f"{counted(len(jumps), 'jump')} to another major version", plan.jumps, "plain"),
        (f"{counted(len(rest), 'package')} upgraded", rest, "plain"),
        (f"{counted(len(plan.new), 'package')} new", plan.new, "plain"),
        (f"{counted(len(plan.ahead), 'package')} newer here than there", plan.ahead, "caution"),
    ):
        if changes:
            yield _heading(words, plan)
            yield from (_change_row(change, tone, plan) for change in changes)
    if plan.obsolete:
        yield _heading(
            f"{counted(len(plan.obsolete), 'package')} that no source has any more", plan
        )
        yield from (_obsolete_row(name, plan) for name in plan.obsolete)


def _heading(words: str, plan: LegPlan) -> Row:
    return Row(f"heading:{plan.leg.title}:{words}", ("", words, "", "", "", ""), "heading")


def _question_row(question: ConfigQuestion) -> Row:
    mine = question.answer == "mine"
    return Row(
        key=f"question:{question.path}",
        cells=("?", question.path, "changed here", "mine stays" if mine else "take theirs",
               "", f"belongs to {question.package}"),
        tone="chosen",
        why=(
            title(f"Whose version of {question.path} shall stand?"),
            *said(
                f"You changed this file, and {question.package} may ship another version.",
                "Mine: your file stays as it is; the new version is set aside beside it."
                if mine
                else "Theirs: the new version is taken; your file is saved as .dpkg-old.",
            ),
            Note("do", "Enter changes the answer"),
        ),
        action="answer",
    )  # fmt: skip


def _source_row(source: SourceOutcome, plan: LegPlan) -> Row:
    tone = {"paused": "caution", "unchanged": "quiet"}.get(source.outcome, "plain")
    return Row(
        key=f"source:{plan.leg.title}:{source.path}:{source.line}:{source.old_suite}",
        cells=("▲" if tone == "caution" else "●", plain(source.uri), source.old_suite,
               source.new_suite or source.outcome, "", plain(source.reason)),
        tone=tone,
        why=(
            title(f"Source {source.outcome}"),
            Note("seen", f"{source.path}:{source.line}"),
            *said(plain(source.reason)),
            Note("code", plain(sources_diff(plan))),
        ),
    )  # fmt: skip


def _change_row(change: PackageChange, tone: str, plan: LegPlan) -> Row:
    size = byte_size(change.download_bytes) if change.download_bytes else ""
    stage = "one" if change.name in plan.first_stage else "two"
    return Row(
        key=f"{plan.leg.title}:{change.name}",
        cells=("▲" if tone == "caution" else "", change.name, change.old, change.new, size,
               plain(change.reason).removeprefix(f"{change.name} {change.old} ")),
        tone=tone,
        why=(
            title(change.name),
            *said(
                f"{change.old} → {change.new}" if change.new and change.old else "",
                *plain(change.reason).split("; "),
                f"section {change.section}" if change.section else "",
                f"{byte_size(change.disk_bytes)} on disk" if change.disk_bytes else "",
                "another major version: read its notes on data and settings"
                if change.major
                else "",
                f"changes in stage {stage}" if change.new else "goes in stage two",
            ),
        ),
    )  # fmt: skip


def _obsolete_row(name: str, plan: LegPlan) -> Row:
    return Row(
        key=f"obsolete:{plan.leg.title}:{name}",
        cells=("", name, "", "", "", "stays installed without updates"),
        tone="quiet",
        why=(title(name), *said(f"No source of {plan.leg.end.title} has it. It stays until you "
                                "remove it, and gets no more fixes.")),
    )  # fmt: skip

"""The rows that hold a jump over a release against the steps, worked out for one machine."""

from collections.abc import Iterator

from brave_bridge.core.formats.text import shortened
from brave_bridge.core.packages.changes import Skipping
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.workbench.pages.page import Note, Row, heading, said, title

_KINDS = (
    ("mixed_base", "the base system", "{n} parts stay old", "all go on"),
    ("guards", "guards of the release between", "{n} passed over", "each is met"),
    ("migrations", "config migrations", "{n} missed", "each is made"),
    ("left_at_old", "packages left behind", "{n} stay old", "they go on"),
    ("lost", "packages lost", "{n} go away", "they stay"),
    ("never_installed", "passing packages", "{n} never come", "they lead over"),
    ("unmet", "what does not fit together", "{n} at once", "fits at every step"),
)
_MOST = 30


def skipping_rows(plan: LegPlan, start: str, columns: int) -> Iterator[Row]:
    """The straight way to a leg's end beside the steps; nothing where it was not worked out."""
    found = plan.packages.skipping
    if found is None:
        return
    end = plan.leg.end.title
    yield heading(f"straight from {start} to {end}, beside the steps", columns)
    breaks = any(getattr(found, field) for field, *_ in _KINDS)
    yield Row(
        "skipping:sentence",
        ("▲" if breaks else "●", found.sentence, *[""] * (columns - 2)),
        "caution" if breaks else "plain",
        (
            title("Why not straight?"),
            *said(
                found.sentence,
                "The line's rule comes first: its makers test the steps, and most guards that a "
                "release carries are dropped in the next, so packages show only part of what a "
                "jump breaks.",
                "Worked out from the very indices of both releases, for what is installed here.",
            ),
        ),
    )
    for field, what, straight, stepwise in _KINDS:
        yield _kind_row(found, field, what, straight, stepwise)


def _kind_row(found: Skipping, field: str, what: str, straight: str, stepwise: str) -> Row:
    names = getattr(found, field)
    words = straight.format(n=len(names)) if names else "nothing seen"
    return Row(
        key=f"skipping:{field}",
        cells=(
            "▲" if names else "●",
            what,
            str(len(names) or "–"),
            "",
            "",
            f"{words}; steps: {stepwise}" if names else words,
        ),
        tone="caution" if names else "quiet",
        why=(
            title(f"{what}: {len(names) or 'none'}"),
            *said(f"Straight: {words}."),
            *said(f"By steps: {stepwise}."),
            *(Note("seen", words) for words in shortened(names, _MOST)),
        ),
    )

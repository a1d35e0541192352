"""Timing things in turn and telling the ratio of their medians."""

import statistics
import time
from collections.abc import Callable
from typing import NamedTuple


class Figure(NamedTuple):
    """One line of the table: medians in seconds."""

    subject: str
    ours: float
    yardstick: str
    theirs: float

    @property
    def ratio(self) -> float:
        """Ours as a share of the yardstick's time."""
        return self.ours / self.theirs

    def row(self) -> str:
        """The line as Markdown."""
        return (
            f"| {self.subject} | {self.ours:.3f} s | {self.yardstick} | {self.theirs:.3f} s "
            f"| {self.ratio:.2f} |"
        )


HEAD = "| what | ours | yardstick | its time | ratio |\n|---|---|---|---|---|"


def seconds(deed: Callable[[], object]) -> float:
    """How long a deed takes."""
    began = time.perf_counter()
    deed()
    return time.perf_counter() - began


def in_turn(
    subject: str,
    ours: Callable[[], float],
    yardstick: str,
    theirs: Callable[[], float],
    rounds: int = 3,
) -> Figure:
    """Measure both in turn, one unmeasured round first; each callable gives its seconds."""
    ours(), theirs()
    pairs = [(ours(), theirs()) for _ in range(rounds)]
    mine, other = (statistics.median(column) for column in zip(*pairs, strict=True))
    figure = Figure(subject, mine, yardstick, other)
    print(figure.row(), flush=True)
    return figure

"""One compared point of a proof, and what it can come to."""

import msgspec

REGRESSION, NOT_READ, BETTER, EXPECTED, UNEXPLAINED, SAME = (
    "regression",
    "not read",
    "better",
    "expected",
    "unexplained",
    "same",
)
VERDICTS = (REGRESSION, NOT_READ, UNEXPLAINED, BETTER, EXPECTED, SAME)
"""In the order in which a person has to read them: what is worse first."""

DATA, SURFACE = "data", "surface"
"""What a regression is of: what is kept and served, or only what shows it."""


class PlannedChange(msgspec.Struct, frozen=True):
    """A package's change in the plan of a leg, which are counted from 0."""

    leg: int
    package: str


class Difference(msgspec.Struct, frozen=True):
    """One compared point. ``verdict`` is one of ``VERDICTS``.

    ``topic`` is what it is about; ``kind`` tells a fault of the data from one of the surface;
    ``because`` is the change of the plan that explains it; a text in records of an earlier version.
    """

    subject: str
    before: str
    after: str
    verdict: str
    meaning: str = ""
    topic: str = ""
    kind: str = ""
    because: PlannedChange | str | None = None

    @property
    def rank(self) -> tuple[int, bool]:
        """Where it stands among others: by verdict, faults of the data first."""
        return VERDICTS.index(self.verdict), self.kind != DATA

"""Repeated proofs: a cure may come undone, so a crossing is proven again over some days.

Nothing here knows the time: moments are handed in as ISO 8601 in UTC.
"""

from datetime import datetime, timedelta

import msgspec

from brave_bridge.core.proof.compare import Proof

AFTER_HOURS = (1.0, 24.0, 72.0)
"""When a crossing is proven again, in hours after it ended, where nobody set something else."""


class Repeated(msgspec.Struct, frozen=True):
    """A repeated proof: when it was made, and what was worse, each by its topic and name."""

    at: str
    passed: bool
    worse: tuple[str, ...] = ()

    @property
    def words(self) -> str:
        """How it ended, in a few words."""
        return "passed" if self.passed else "worse" if self.worse else "not all was read"


class Repeats(msgspec.Struct, frozen=True):
    """The repeated proofs of a crossing: when they are due, and those that were made.

    ``crossing`` is its procedure's id, ``ended`` when it ended; ``first_worse`` is what was worse
    in the proof at its end.
    """

    crossing: str = ""
    ended: str = ""
    due: tuple[str, ...] = ()
    made: tuple[Repeated, ...] = ()
    first_worse: tuple[str, ...] = ()
    newest: Proof | None = None
    """The one that was made last, whole."""

    @property
    def ahead(self) -> tuple[str, ...]:
        """The moments of those that were not made yet."""
        last = self.made[-1].at if self.made else ""
        return tuple(moment for moment in self.due if moment > last)

    @property
    def are_done(self) -> bool:
        """Whether all of them were made, and the last one passed."""
        if not self.due:
            return True
        return not self.ahead and bool(self.made) and self.made[-1].passed

    @property
    def last_day(self) -> str:
        """When the last of them passed; empty where it did not yet."""
        return self.made[-1].at if self.due and self.are_done else ""

    def is_due(self, now: str) -> bool:
        """Whether one should be made: its time has come, or the last one did not pass."""
        if self.made and not self.made[-1].passed:
            return bool(self.due)
        return any(moment <= now for moment in self.ahead)

    def with_proof(self, proof: Proof, now: str) -> "Repeats":
        """With a proof that was made now; one that only says again what is worse stands once."""
        made = Repeated(now, proof.passed, names_of_worse(proof))
        last = self.made[-1] if self.made else None
        says_it_again = last is not None and not made.passed and last.worse == made.worse
        earlier = self.made[:-1] if says_it_again else self.made
        return msgspec.structs.replace(self, made=(*earlier, made), newest=proof)

    def came_undone(self) -> tuple[str, ...]:
        """What is worse now and was not when the crossing ended."""
        if not self.made:
            return ()
        return tuple(name for name in self.made[-1].worse if name not in self.first_worse)


def planned_repeats(
    crossing: str, ended: str, proof: Proof, hours: tuple[float, ...] = AFTER_HOURS
) -> Repeats:
    """The repeated proofs of a crossing that ended then."""
    at = datetime.fromisoformat(ended)
    due = tuple((at + timedelta(hours=h)).isoformat(timespec="seconds") for h in sorted(hours))
    return Repeats(crossing, ended, due, first_worse=names_of_worse(proof))


def names_of_worse(proof: Proof) -> tuple[str, ...]:
    """What is worse in a proof, each by its topic and name."""
    return tuple(f"{one.topic}: {one.subject}".lstrip(": ") for one in proof.worse)

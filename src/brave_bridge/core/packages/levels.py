"""What counts when a plan is chosen: levels of wishes, the weightiest first."""

import msgspec

DECIDED = "decided"
HAND_INSTALLED_KEPT = "hand-installed kept"
BASE_UPGRADED = "base upgraded"
NEEDED_UPGRADED = "needed upgraded"
UPGRADED = "upgraded"
HAND_INSTALLED_STAY = "hand-installed stay"
STAY = "stay"
RECOMMENDED = "recommended"
PREFERRED = "preferred alternatives"
NEW = "new"

LEVELS = (
    DECIDED, HAND_INSTALLED_KEPT, BASE_UPGRADED, NEEDED_UPGRADED, UPGRADED, HAND_INSTALLED_STAY,
    STAY, RECOMMENDED, PREFERRED, NEW,
)  # fmt: skip
"""The levels in the order of their weight; the last three always come last."""

FIXED_FIRST, FIXED_LAST = (DECIDED,), (RECOMMENDED, PREFERRED, NEW)
"""The levels that no wish moves."""

LEVEL_WORDS = {
    DECIDED: "what was decided on the machine stands: holds, essential packages, your wishes",
    HAND_INSTALLED_KEPT: "packages installed by hand that the release has are kept",
    BASE_UPGRADED: "required and important packages are upgraded",
    NEEDED_UPGRADED: "what the hand-installed packages need is upgraded",
    UPGRADED: "as few packages as possible are kept back",
    HAND_INSTALLED_STAY: "as few hand-installed packages as possible go away",
    STAY: "as few packages as possible go away",
    RECOMMENDED: "what new packages recommend comes with them",
    PREFERRED: "of several alternatives the first is taken",
    NEW: "as few packages as possible are new",
}


WISHES = ("protect", "exclude", "let_go")
"""The kinds of wishes about single packages: fields of PersonsWishes."""


class LevelResult(msgspec.Struct, frozen=True):
    """How a level ended. ``failed`` wishes of it do not hold; ``proven``: fewer cannot."""

    name: str
    failed: int
    proven: bool


class PersonsWishes(msgspec.Struct, frozen=True):
    """What a person wants of a plan. ``protect`` and ``exclude`` are slots.

    A protected package stays installed in whatever version; an excluded one does not come, and
    where it is installed it stays as it is; one that may go (``let_go``) is kept no more than
    any other. ``order`` are the levels that were put in another
    order, the weightiest first.
    """

    protect: frozenset[str] = frozenset()
    exclude: frozenset[str] = frozenset()
    let_go: frozenset[str] = frozenset()
    order: tuple[str, ...] = LEVELS

    def toggled(self, kind: str, slot: str) -> "PersonsWishes":
        """With a package protected, excluded or let go of; without, where it was that already.

        ``kind`` is one of WISHES. A package has one wish at a time.
        """
        wished = {name: getattr(self, name) - {slot} for name in WISHES}
        if slot not in getattr(self, kind):
            wished[kind] |= {slot}
        return msgspec.structs.replace(self, **wished)

    def moved(self, level: str, by: int) -> "PersonsWishes":
        """With a level that many places lighter (negative: weightier); what is fixed stays."""
        order = list(self.order)
        here = order.index(level)
        there = min(max(here + by, 1), len(order) - len(FIXED_LAST) - 1)
        if level in FIXED_FIRST + FIXED_LAST:
            return self
        order.insert(there, order.pop(here))
        return msgspec.structs.replace(self, order=tuple(order))

"""What counts when a plan is chosen: levels of preferences, the weightiest first."""

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
    DECIDED,
    HAND_INSTALLED_KEPT,
    BASE_UPGRADED,
    NEEDED_UPGRADED,
    UPGRADED,
    HAND_INSTALLED_STAY,
    STAY,
    RECOMMENDED,
    PREFERRED,
    NEW,
)
"""The levels in the order of their weight; the last three always come last."""

FIXED_FIRST, FIXED_LAST = (DECIDED,), (RECOMMENDED, PREFERRED, NEW)
"""The levels that no preference moves."""

LEVEL_WORDS = {
    DECIDED: "what was decided on the machine stands: holds, essential packages, your preferences",
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


class LevelResult(msgspec.Struct, frozen=True):
    """How a level ended. ``failed`` preferences of it do not hold; ``proven``: fewer cannot."""

    name: str
    failed: int
    proven: bool

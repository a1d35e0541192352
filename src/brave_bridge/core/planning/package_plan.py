"""What a leg would do to packages: what stands afterwards, and how well each level was met."""

from collections.abc import Mapping

import msgspec

from brave_bridge.core.packages.package_version import Installed, PackageVersion

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


class PackagePlan(msgspec.Struct, frozen=True):
    """The versions that stand after a leg, by slot, and those that stood before."""

    before: Mapping[str, Installed]
    after: Mapping[str, PackageVersion]
    candidates: Mapping[str, PackageVersion]
    levels: tuple[LevelResult, ...]
    wishes: PersonsWishes = PersonsWishes()

    @property
    def upgraded(self) -> list[str]:
        """The slots whose version changes."""
        return [s for s, one in self.before.items() if self._differs(self.after.get(s), one)]

    @staticmethod
    def _differs(after: PackageVersion | None, before: Installed) -> bool:
        return after is not None and after is not before.package

    @property
    def new(self) -> list[str]:
        """The slots that stand only afterwards."""
        return [slot for slot in self.after if slot not in self.before]

    @property
    def removed(self) -> list[str]:
        """The slots that stood only before."""
        return [slot for slot in self.before if slot not in self.after]

    @property
    def kept_back(self) -> list[str]:
        """The slots that stay as they are though there is another candidate."""
        return [
            slot
            for slot, one in self.before.items()
            if self.after.get(slot) is one.package and slot in self.candidates
        ]

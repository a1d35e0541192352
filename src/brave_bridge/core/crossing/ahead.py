"""What a leg fetches while its way back is made: begun before the snapshot, taken up behind it.

Whatever goes wrong with it costs time only: the leg then fetches as if nothing had been tried,
and tells what is wrong where it matters.
"""

import msgspec

from brave_bridge.core.crossing.family import CrossingFamily, FetchAhead
from brave_bridge.core.crossing.replies import Begun, Failed, Ran
from brave_bridge.core.crossing.requests import (
    Begin,
    RemoveFolder,
    ReplaceFiles,
    Script,
    WriteFiles,
)
from brave_bridge.core.crossing.stage import ended_well, titled
from brave_bridge.core.packages.changes import PackageChanges, with_what_stays
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.survey.facts import Facts

PLACE = "/var/cache/brave-bridge"
"""Where all of it stands: no part of the system, and of no use behind the leg."""

BESIDE = f"{PLACE}/settings"
"""Where what is written stands while new versions are asked beside the system."""


def nothing_ahead() -> RemoveFolder:
    """Clear away what a leg fetched ahead and did not take up."""
    return RemoveFolder(title="Clear away what was fetched ahead", folder=PLACE)


class Ahead:
    """The fetching ahead of one leg. Each method is a part of the checklist."""

    def __init__(self, family: CrossingFamily, plan: LegPlan) -> None:
        self._family = family
        self._plan = plan
        self._changes = plan.packages
        self._fetching: FetchAhead | None = None
        self._job = ""
        self._rehearsed = ""
        self._taken = False

    def begin(self, facts: Facts) -> Script[None]:
        """Begin to fetch, where the family can; nothing is waited for."""
        self._changes = with_what_stays(
            self._plan.packages, facts.installed, facts.identity.architecture
        )
        fetching = self._family.fetch_ahead(self._plan.with_packages(self._changes))
        if fetching is None:
            return
        self._fetching = fetching
        reply = yield from WriteFiles(
            title="Write down what may be fetched ahead", files=fetching.files
        )
        if not isinstance(reply, Failed):
            begun = yield from Begin(title=f"Begin: {fetching.run.title}", run=fetching.run)
            self._job = begun.job if isinstance(begun, Begun) else ""

    def take_up(self) -> Script[bool]:
        """Wait for it and make its indices the machine's; whether they are.

        What was fetched is then what ``rehearsal`` tells of.
        """
        fetched = yield from self._ended_well()
        if not fetched or self._fetching is None:
            yield from self._tidy_up()
            return False
        taken = yield from ReplaceFiles(
            title="Take up the indices that were fetched ahead",
            source=self._fetching.lists,
            target=self._family.lists,
            but_for=("lock", "partial/.place"),
        )
        yield from self._tidy_up()
        self._taken = not isinstance(taken, Failed)
        return self._taken

    def rehearsal(self, changes: PackageChanges) -> str | None:
        """What the package manager said it would do for exactly these changes; None: not asked."""
        return self._rehearsed if self._taken and changes == self._changes else None

    def let_go(self) -> Script[None]:
        """The leg does not go on: nothing of it is left, but for packages in the cache."""
        yield from self._ended_well()
        yield from self._tidy_up()

    def _ended_well(self) -> Script[bool]:
        if not self._job or self._fetching is None:
            return False
        run = titled(self._fetching.run, "Wait for what is fetched beside the snapshot")
        reply = yield from msgspec.structs.replace(run, job=self._job)
        self._rehearsed = reply.output if isinstance(reply, Ran) else ""
        return ended_well(reply)

    def _tidy_up(self) -> Script[None]:
        if self._fetching is not None:
            yield from nothing_ahead()
            self._fetching, self._job = None, ""

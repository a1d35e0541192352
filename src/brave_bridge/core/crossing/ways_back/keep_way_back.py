"""The scripts that take a way back, and that read one again to see whether it is whole."""

from collections.abc import Callable

from brave_bridge.core.crossing.replies import (
    Failed,
    Reply,
    SnapshotChecked,
    SnapshotsExpired,
    SnapshotTaken,
)
from brave_bridge.core.crossing.requests import (
    ArchiveSettings,
    Checkpoint,
    CheckSnapshot,
    ExpireSnapshots,
    MakeCard,
    Script,
    TakeSnapshot,
)
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import warned, what_was_seen


def take_way_back(make: Callable[[], TakeSnapshot]) -> Script[Outcome]:
    """Take a snapshot, make the recovery card anew, let go what the rules let go."""
    yield from Checkpoint(title="Checkpoint: ready", name="ready", leg=0)
    reply = yield from make()
    if not isinstance(reply, SnapshotTaken):
        return Outcome(
            state="stopped",
            at="snapshot",
            why=what_was_seen(reply),
            safe="nothing was changed; what was half made is removed",
            next_step=reply.remedy if isinstance(reply, Failed) else "",
        )
    warnings = yield from card_and_clean_up()
    return Outcome(state="done", ways_back=(reply.id,), warnings=warnings)


def new_card() -> Script[tuple[str, ...]]:
    """Make the recovery card anew; what a person has to look at."""
    return (yield from warned(MakeCard(title="Make the recovery card anew"), "no recovery card"))


def settings_beside(way_back: str) -> Script[tuple[str, ...]]:
    """Archive the settings beside a new way back; what a person has to look at."""
    request = ArchiveSettings(title="Archive the settings beside it", way_back=way_back)
    return (yield from warned(request, "no archive of the settings"))


def card_and_clean_up() -> Script[tuple[str, ...]]:
    """The card and the retention rules after a new way back; what a person has to look at."""
    warnings = yield from new_card()
    reply = yield from ExpireSnapshots(title="Let go what the retention rules let go")
    return (*warnings, *expiry_warnings(reply))


def expiry_warnings(reply: Reply) -> tuple[str, ...]:
    """What a person has to know of the ways back that ended."""
    if isinstance(reply, Failed):
        return (f"older ways back could not be removed: {what_was_seen(reply)}",)
    if isinstance(reply, SnapshotsExpired):
        return tuple(f"a way back ended: {words}" for words in reply.gone)
    return ()


def check_way_back(way_back: str) -> Script[Outcome]:
    """Read every file of a snapshot and hold it against its hash."""
    reply = yield from CheckSnapshot(title=f"Read all of {way_back} again", snapshot=way_back)
    if not isinstance(reply, SnapshotChecked):
        return Outcome(state="stopped", at="check", why=what_was_seen(reply))
    if reply.faults:
        return Outcome(
            state="stopped",
            at="check",
            why=f"{reply.fault_count} faults: " + "; ".join(reply.faults[:3]),
            safe="the machine is unchanged; this way back is not offered any more",
            next_step="take a new one: brave-bridge snapshot",
            warnings=reply.faults,
        )
    return Outcome(state="done", ways_back=(way_back,))

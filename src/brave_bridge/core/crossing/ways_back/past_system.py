"""The scripts about past systems: have the menu offer one, take it out, keep the one that runs."""

from collections.abc import Sequence

from brave_bridge.core.crossing.replies import Done, Failed, PastOffered
from brave_bridge.core.crossing.requests import (
    Checkpoint,
    CloseLeg,
    KeepPast,
    OfferPast,
    Script,
    WithdrawPast,
)
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import warned, what_was_seen
from brave_bridge.core.crossing.ways_back.keep_way_back import new_card


def offer_past(way_back: str, *, once: bool) -> Script[Outcome]:
    """Have the boot menu offer a way back as a system to start; ``once``: at the next boot alone.

    Nothing is restarted: whoever looks after the machine does that.
    """
    yield from Checkpoint(title="Checkpoint: ready", name="ready", leg=0)
    reply = yield from OfferPast(
        title=f"Have the boot menu offer {way_back}", way_back=way_back, once=once
    )
    if not isinstance(reply, PastOffered):
        return _stopped("boot menu", what_was_seen(reply), "what boots next is as before")
    told = (f"the boot menu offers it: {reply.title}", *reply.words)
    told += yield from new_card()
    return Outcome(state="done", ways_back=(way_back,), warnings=told)


def withdraw_past(ways_back: Sequence[str]) -> Script[Outcome]:
    """Take past systems out of the boot menu, and delete them; the ways back stay."""
    yield from Checkpoint(title="Checkpoint: ready", name="ready", leg=0)
    for way_back in ways_back:
        reply = yield from WithdrawPast(
            title=f"Take {way_back} out of the boot menu", way_back=way_back
        )
        if isinstance(reply, Failed):
            return _stopped("boot menu", what_was_seen(reply), f"the way back {way_back} is kept")
    return Outcome(state="done", ways_back=tuple(ways_back), warnings=(yield from new_card()))


def keep_past(way_back: str) -> Script[Outcome]:
    """Have the past system that runs be the machine's own from now on."""
    yield from Checkpoint(title="Checkpoint: ready", name="ready", leg=0)
    reply = yield from KeepPast(title="Give the system that runs its own place again")
    if not isinstance(reply, Done):
        safe = "what runs goes on running; the system of now is beside it, untouched"
        return _stopped("keeping", what_was_seen(reply), safe)
    told = (f"the system of before is set aside as {reply.detail}",)
    told += yield from warned(
        CloseLeg(title="No leg is under way any more"), "that a leg was under way is still kept"
    )
    return Outcome(state="done", ways_back=(way_back,), warnings=told)


def _stopped(at: str, why: str, safe: str) -> Outcome:
    return Outcome(state="stopped", at=at, why=why, safe=safe)

"""Performing the requests about trials: what boots once, and what holds behind it."""

from brave_bridge.bootloaders import trials
from brave_bridge.core.crossing.replies import Done, Reply, TrialArranged
from brave_bridge.core.crossing.requests import ArrangeTrial, EndTrial
from brave_bridge.core.formats.text import plain
from brave_bridge.families.registry import outline
from brave_bridge.machines.port import Machine
from brave_bridge.runner import trial_watch


def arrange_trial(machine: Machine, family: str, request: ArrangeTrial) -> Reply:
    """Have a kernel booted once; what happens where it fails or hangs."""
    facts = outline(machine, family)
    once, way = trials.arrange(machine, facts, request.kernel, request.name)
    chosen, good = plain(once.chosen.title), plain(once.good.title)
    watched = trial_watch.place(machine)
    limit = trial_watch.LIMIT_SECONDS // 60
    words = (
        f"{chosen} is booted once; every other boot takes {good}.",
        way.fails
        if watched
        else "After a panic it restarts by itself into the good one; where it comes up and is "
        "not well, somebody has to restart it.",
        f"Where nobody looked on {limit} minutes after its start, it restarts." if watched else "",
        way.hangs,
    )
    return TrialArranged(chosen, good, tuple(filter(None, words)))


def end_trial(machine: Machine, request: EndTrial, job: str) -> Reply:
    """End the watch, and with it the trial where nothing else is asked for."""
    trial_watch.take_watch_away(machine, job)
    if request.watch_only:
        return Done("nothing restarts it by itself any more")
    ended = trials.end(machine)
    if request.kernel:
        return Done(trials.make_default(machine, request.kernel))
    return Done("the loader boots by its own default again" if ended else "nothing was on trial")

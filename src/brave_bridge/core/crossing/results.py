"""What a procedure comes to."""

import msgspec

from brave_bridge.core.proof.compare import Proof


class Outcome(msgspec.Struct, frozen=True, kw_only=True):
    """The end of a crossing or a return.

    ``state`` is ``done``; ``stopped`` where nothing was changed or all was undone;
    ``failed`` where it ended part-way. ``at`` names the step, ``why`` what was seen,
    ``safe`` what still holds, ``next_step`` what to do.
    """

    state: str
    at: str = ""
    why: str = ""
    safe: str = ""
    next_step: str = ""
    ways_back: tuple[str, ...] = ()
    legs_done: int = 0
    proof: Proof | None = None
    set_aside: tuple[str, ...] = ()
    obsolete: tuple[str, ...] = ()
    again: tuple[str, ...] = ()
    """Programs to be installed again, as the system that runs now does not have them."""
    updated: tuple[str, ...] = ()
    """What was brought up to date, each as ``name old → new``."""
    left: tuple[str, ...] = ()
    """What could not be, each with why."""
    taken_up: tuple[str, ...] = ()
    """The sources that are active again, each as its address and suite."""
    failed_sources: tuple[str, ...] = ()
    """What could not be reached while it was looked for updates."""
    warnings: tuple[str, ...] = ()
    """What a person has to look at, although it went well."""

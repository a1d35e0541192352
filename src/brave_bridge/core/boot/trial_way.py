"""How a machine boots something once, and what brings it back where that fails, in words."""

import msgspec

_HANGS = (
    "Where it hangs before its own time limit can end it, somebody has to switch it off and on: "
    "the boot after that is the good one."
)


class TrialWay(msgspec.Struct, frozen=True):
    """How something is booted once. ``mechanism`` is empty where it must not be tried.

    ``fails``, ``hangs``: what happens then, a sentence each. ``refusal`` says why nothing would
    bring the machine back, ``instead`` what could be set up, or done, in its place.
    """

    mechanism: str = ""
    fails: str = ""
    hangs: str = ""
    refusal: str = ""
    instead: tuple[str, ...] = ()


def comes_back(loader: str, mechanism: str) -> TrialWay:
    """A loader that forgets the trial before it starts it, by that mechanism."""
    fails = (
        f"{loader} forgets the trial before it starts it: after a panic, or where what comes up "
        "does not pass its own checks in time, it restarts by itself into the good one."
    )
    return TrialWay(mechanism, fails, _HANGS)


def never_once(loader: str) -> TrialWay:
    """A loader that boots by its default alone."""
    return TrialWay(
        refusal=f"nothing here tells {loader} to boot something once: a trial would be permanent",
        instead=(
            "make the other entry the default with somebody at the console, who can choose the "
            "old one",
        ),
    )

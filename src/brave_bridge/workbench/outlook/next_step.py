"""The one sensible next step for a machine, and why."""

import msgspec

from brave_bridge.core.formats.text import counted


class OnTheWay(msgspec.Struct, frozen=True, kw_only=True):
    """What the next step is computed from. Empty texts and None mean: not so, not known."""

    unreadable: str = ""
    by_own_tools: bool = False
    first_stop: str = ""
    goal: str = ""
    has_plan: bool = False
    plan_words: str = ""
    procedure: str = ""
    """``crossing`` or ``return`` where one has not ended."""
    at_work: bool = False
    question: str = ""
    awaits_restart: bool = False
    """Whether what is under way rests until somebody restarted, or started, the machine."""
    open_leg: str = ""
    """The leg that was begun and is not whole, and why, where nothing is under way."""
    failed: str = ""
    """Why the newest procedure failed, where it did."""
    proof_failed: bool = False
    proof_unread: bool = False
    """Whether nothing was seen that is worse, and not all could be read."""
    proof_due: bool = False
    """Whether the crossing is to be proven again by now."""
    just_done: str = ""
    went_back: str = ""
    """Why it was returned, where the newest procedure did that; its own words where nobody said."""
    tasks_left: tuple[str, ...] = ()
    """What the last crossing left to a person and nobody has done."""
    support_days: int | None = None
    updates: int = 0
    """Pending updates of the present release, where they stand in the way."""
    restart_wanted: bool = False


class NextStep(msgspec.Struct, frozen=True):
    """``words`` say what to do and why, ``action`` does it, ``workspace`` is where.

    ``urgency``: 0 at rest, 1 could go on, 2 needs the person.
    """

    words: str
    workspace: str
    action: str
    urgency: int


def next_step(here: OnTheWay) -> NextStep:
    """The next step of a machine that stands so."""
    return _under_way(here) or _after_trouble(here) or _ahead(here)


def _under_way(s: OnTheWay) -> NextStep | None:
    if not s.procedure:
        return None
    if s.question and s.at_work:
        return NextStep(f"answer: {s.question}", "crossing", "show", 2)
    if s.at_work:
        return NextStep(f"the {s.procedure} is under way: watch it", "crossing", "show", 0)
    if s.awaits_restart:
        words = f"restart the machine, then go on with the {s.procedure}"
        return NextStep(words, "crossing", "go_on", 2)
    return NextStep(
        f"go on with the {s.procedure}: it stands at a safe place", "crossing", "go_on", 2
    )


def _after_trouble(s: OnTheWay) -> NextStep | None:
    if s.unreadable:
        return NextStep(f"look at what cannot be read: {s.unreadable}", "survey", "show", 2)
    if s.open_leg:
        words = f"mend the cause and go on, or go back: {s.open_leg}"
        return NextStep(words, "crossing", "go_on", 2)
    if s.failed:
        return NextStep(f"it failed ({s.failed}): go back or mend it", "ways_back", "show", 2)
    if s.proof_unread:
        words = "prove it again: nothing worse was seen, and not all of it could be read"
        return NextStep(words, "proof", "prove", 2)
    if s.proof_due and not s.proof_failed:
        return NextStep("prove again that it is as good as before", "proof", "prove", 1)
    if s.proof_failed:
        return NextStep("look at what is worse than before", "proof", "show", 2)
    if s.went_back:
        words = f"it went back ({s.went_back}): mend the cause, and write a field note for others"
        return NextStep(words, "route", "show", 2)
    if s.tasks_left:
        more = f", and {len(s.tasks_left) - 1} more" if len(s.tasks_left) > 1 else ""
        return NextStep(f"left to you: {s.tasks_left[0]}{more}", "proof", "show", 2)
    if s.updates:
        words = f"bring it up to date: {counted(s.updates, 'update')} of the present release"
        return NextStep(words, "survey", "update", 2)
    if s.restart_wanted:
        return NextStep("restart it: a restart is pending", "survey", "show", 2)
    if s.first_stop:
        return NextStep(f"mend what stands in the way: {s.first_stop}", "survey", "show", 2)
    return None


def _ahead(s: OnTheWay) -> NextStep:
    if s.by_own_tools and not s.just_done:
        words = "cross it by its own tools: a way back and a baseline first, then its proof"
        return NextStep(words, "ways_back", "show", 0)
    if not s.goal:
        done = f"{s.just_done}; " if s.just_done else ""
        return NextStep(f"{done}nothing to do until a newer release is out", "survey", "show", 0)
    if not s.has_plan:
        why = _support_words(s.support_days)
        return NextStep(f"plan the way to {s.goal}{why}", "plan", "plan", 1)
    return NextStep(f"cross to {s.goal}: {s.plan_words}", "plan", "cross", 1)


def _support_words(days: int | None) -> str:
    if days is None or days > 400:
        return ""
    if days < 0:
        return f": {-days} days without security fixes"
    return f": {days} days of support left"

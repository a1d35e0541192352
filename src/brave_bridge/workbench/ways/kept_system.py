"""The system that an upgrade kept: how long, at what price, and what going back would lose."""

from datetime import date

import msgspec

from brave_bridge.core.crossing.made_as_one.kept_system import programs_since
from brave_bridge.core.licensed.system import KeptSystem
from brave_bridge.core.releases.catalogue import Leg
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.ways_back.kept_by_system import kept_by
from brave_bridge.runner.briefs import CrossBrief, KeptBrief, known_brief
from brave_bridge.workbench.beginning import begin
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.planning.tasks import KEPT
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.ways.went_back import write_went_back

_OF_ACCOUNTS = ("sign in with the password that you had then: have it at hand",)


class KeptSeen(msgspec.Struct, frozen=True):
    """The kept system, days left to go back to it (None: no end), and what that would lose.

    ``programs`` were installed since, ``passwords`` are of accounts that changed theirs since: the
    ones of before hold again. ``updates`` are offered here, and may mend what is gone back from.
    """

    kept: KeptSystem
    days_left: int | None
    programs: tuple[str, ...] = ()
    passwords: tuple[str, ...] = ()
    updates: int = 0
    leg: str = ""
    """The title of the leg that left it, where the logbook knows."""

    @property
    def losses(self) -> tuple[str, ...]:
        """What going back would lose, each in a sentence."""
        lost = [f"installed since, to be installed again: {', '.join(self.programs)}"]
        changed = [f"the passwords of before hold again, for {', '.join(self.passwords)}"]
        return (
            *(lost if self.programs else ()),
            *((f"settings made since {self.kept.made}",) if self.kept.made else ()),
            *(changed if self.passwords else ()),
            *(_OF_ACCOUNTS if self.kept.made else ("what the image that runs brought",)),
        )


def kept_of(facts: Facts, today: date) -> KeptSeen | None:
    """What is kept on a machine with these facts; None where nothing is."""
    kept, system = kept_by(facts), facts.licensed
    if kept is None:
        return None
    if system is None:
        return KeptSeen(kept, None)
    return KeptSeen(
        kept,
        (date.fromisoformat(kept.until) - today).days,
        tuple(program.name for program in programs_since(system.programs, kept)),
        tuple(one.name for one in facts.accounts if one.changed > kept.made),
        len(facts.updates),
    )


def kept_here(desk: Desk) -> KeptSeen:
    """What this machine's last upgrade kept; Refused where it is nothing, or gone, with why."""
    found = kept_of(desk.facts(), desk.today())
    attempted = "looking for the kept system"
    if found is None:
        why = "the system keeps none of before"
        raise Refused(attempted, why, "ways back of our own: brave-bridge ways-back")
    if found.kept.gone:
        raise Refused(attempted, found.kept.gone, "go back by a way back: brave-bridge ways-back")
    leg = _newest_leg(desk)
    return msgspec.structs.replace(found, leg=leg.title if leg else "")


def _newest_leg(desk: Desk) -> Leg | None:
    """The last leg of the newest crossing that was carried out; None where none is known."""
    done = (row for row in desk.procedures() if row.kind == "crossing" and row.state == "done")
    brief = known_brief(next((row.brief for row in done), b""))
    return brief.plans[-1].leg if isinstance(brief, CrossBrief) else None


def begin_going_back(desk: Desk, reason: str, *, note: bool = False) -> str:
    """Begin to go back to the kept system; the procedure's id.

    ``note``: keep the reason as a field note too, for every machine that faces the leg.
    """
    if not reason.strip():
        raise Refused("going back", "there is no reason", "say why: --reason TEXT")
    found = kept_here(desk)
    if note and (leg := _newest_leg(desk)):
        write_went_back(desk, leg.key, reason)
    title = f"back to {found.kept.version}, which was kept"
    return begin(desk, KEPT, title, KeptBrief(reason=reason.strip()), True)


def begin_keeping_longer(desk: Desk, until: str) -> str:
    """Begin to have the kept system stay until a day (ISO); the procedure's id."""
    kept = kept_here(desk).kept
    attempted = f"keeping {kept.version} until {until}"
    if not kept.until:
        why = "it stays until the next image is written over it"
        raise Refused(attempted, why, "there is nothing to do for that")
    try:
        days = (date.fromisoformat(until) - date.fromisoformat(kept.made)).days
    except ValueError as error:
        raise Refused(attempted, "that is no day", "write it as 2027-01-31") from error
    if until > (kept.longest or kept.until) or until < str(desk.today()):
        raise Refused(attempted, f"it can be kept until {kept.longest or kept.until} at most")
    title = f"{kept.version} kept until {until}"
    return begin(desk, KEPT, title, KeptBrief(until=until, days=days), True)

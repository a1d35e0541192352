"""Past systems at the desk: ways back that the boot menu offers as systems to start."""

from brave_bridge.bootloaders.past_systems import why_not_offered
from brave_bridge.core.boot.past_entry import PastSystem
from brave_bridge.machines.port import MachineError
from brave_bridge.runner.briefs import KeepPastBrief, PastBrief, WithdrawBrief
from brave_bridge.workbench.beginning import KEEPING, begin
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.refusal import Refused


def past_systems(desk: Desk) -> list[PastSystem]:
    """The ways back that can be started here; none where the file system has no such thing."""
    try:
        return list(desk.beside.past.listed())
    except MachineError:
        return []


def begin_offering(desk: Desk, way_back: str, *, once: bool = False) -> str:
    """Begin to have the boot menu offer a way back; the procedure's id. Refused, MachineError.

    ``way_back`` may also be a system that a return has set aside, as the list of ways back has it.
    """
    if any(aside.id == way_back for aside in desk.beside.returning.set_aside()):
        title = f"{way_back} in the boot menu"
        return begin(desk, "boot menu", title, PastBrief(way_back, once), True)
    chosen = desk.snapshots.find(way_back)
    loader = desk.facts().loader
    known = next((one for one in past_systems(desk) if one.way_back == chosen.id), None)
    if known is not None and (why := why_not_offered(loader, known)):
        raise Refused(f"offering {chosen.id} in the boot menu", why)
    title = f"{chosen.release} of {chosen.created[:10]} in the boot menu"
    return begin(desk, "boot menu", title, PastBrief(chosen.id, once), True)


def begin_withdrawing(desk: Desk, way_back: str = "") -> str:
    """Begin to take one out of the boot menu, or all; the procedure's id."""
    known = [one.way_back for one in past_systems(desk)]
    going = [way_back] if way_back else known
    if not going or not set(going) <= set(known):
        names = ", ".join(known) or "no way back"
        raise Refused("taking out of the boot menu", f"it offers {names}")
    words = f"{', '.join(going)} out of the boot menu"
    return begin(desk, "boot menu", words, WithdrawBrief(tuple(going)), True)


def begin_keeping(desk: Desk) -> str:
    """Begin to keep the past system that the machine was started in; the procedure's id."""
    past = desk.facts().boot.past
    if not past:
        raise Refused("keeping the past system", "the machine runs its own system")
    return begin(desk, KEEPING, f"keep the system as of {past}", KeepPastBrief(past), True)

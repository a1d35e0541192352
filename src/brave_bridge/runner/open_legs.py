"""The leg that is under way on a machine, kept in its state folder apart from the logbook."""

from brave_bridge.core.crossing.open_leg import OpenLeg
from brave_bridge.machines.kept_record import KeptRecord

OPEN_LEG: KeptRecord[OpenLeg | None] = KeptRecord(
    "open-leg.json",
    OpenLeg,
    None,
    200_000_000,
    remedy="a leg was under way: go back to the way back before it",
)

"""Which family a machine belongs to, and what that family can do for it."""

from brave_bridge.core.survey.facts import Facts
from brave_bridge.families.basic import survey_basic
from brave_bridge.families.deb.commands import DebFamily
from brave_bridge.families.deb.planning import SimulationPlanner
from brave_bridge.families.deb.survey import STATUS, survey_deb
from brave_bridge.machines.port import Machine

CROSSING_FAMILIES = ("deb",)
"""The families whose machines can be taken across."""


def survey(machine: Machine, family: str) -> Facts:
    """The facts of a machine of a family; an unknown family is told by its database.

    MachineError where the system or its package database cannot be read.
    """
    basic = survey_basic(machine)
    if family == "deb" or (not family and machine.is_file(STATUS)):
        return survey_deb(machine, basic)
    return basic


def family_named(name: str) -> DebFamily:
    """A family by its name; KeyError where it cannot cross yet."""
    return {"deb": DebFamily}[name]()


def planner_named(name: str) -> SimulationPlanner:
    """A family's planner; KeyError where it cannot cross yet."""
    return {"deb": SimulationPlanner}[name]()

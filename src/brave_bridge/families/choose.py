"""Which family a machine belongs to, and what that family can do for it."""

import msgspec

from brave_bridge.core.survey.facts import Evidence, Facts
from brave_bridge.families import basic
from brave_bridge.families.alpm import survey as alpm
from brave_bridge.families.deb import survey as deb
from brave_bridge.families.deb.commands import DebFamily
from brave_bridge.families.deb.planning import DebPlanner
from brave_bridge.families.rpm import survey as rpm
from brave_bridge.machines.port import Machine
from brave_bridge.machines.wishes import Names

CROSSING_FAMILIES = ("deb",)
"""The families whose machines can be taken across."""

_DATABASES = {
    deb.STATUS: "deb",
    **dict.fromkeys(rpm.DATABASES, "rpm"),
    alpm.VERSION_FILE: "alpm",
}
_WISHES = {"deb": deb.WISHES, "rpm": rpm.WISHES, "alpm": alpm.WISHES}


def survey(machine: Machine, family: str) -> Facts:
    """The facts of a machine of a family, in two round trips.

    An unknown family is told by its package database, which takes one more. MachineError
    where the system or its package database cannot be read.
    """
    family = family or _family_by_database(machine)
    seen = machine.gather((*basic.WISHES, *_WISHES.get(family, ())))
    wishes = basic.further(seen)
    if family == "deb":
        known = deb.first_round(machine, seen)
        seen.add(machine.gather((*wishes, *deb.further(known))))
        return deb.deb_facts(machine, seen, known, basic.basic_facts(machine, seen))
    if family in ("rpm", "alpm"):
        module = rpm if family == "rpm" else alpm
        packages = module.packages_in(seen, machine.name)
        seen.add(machine.gather((*wishes, *module.further(packages))))
        facts = basic.basic_facts(machine, seen)
        compose = rpm.rpm_facts if family == "rpm" else alpm.alpm_facts
        return compose(seen, packages, facts)
    if wishes:
        seen.add(machine.gather(wishes))
    return _without_packages(basic.basic_facts(machine, seen), family)


def _without_packages(facts: Facts, family: str) -> Facts:
    """The facts of a family whose systems are not made of packages, or not of known ones."""
    why = (
        f"a system of the {family} family has no package database"
        if family
        else "no package database is known here"
    )
    topics = ("packages", "sources", "configs", "set-aside", "indices", "history")
    absent = tuple(Evidence(topic, "", "", absent=why) for topic in topics)
    return msgspec.structs.replace(facts, evidence=facts.evidence + absent)


def _family_by_database(machine: Machine) -> str:
    found = machine.gather((Names(tuple(_DATABASES)),)).found
    return next((family for path, family in _DATABASES.items() if path in found), "")


def family_named(name: str) -> DebFamily:
    """A family by its name; KeyError where it cannot cross yet."""
    return {"deb": DebFamily}[name]()


def planner_named(name: str) -> DebPlanner:
    """A family's planner; KeyError where it cannot cross yet."""
    return {"deb": DebPlanner}[name]()

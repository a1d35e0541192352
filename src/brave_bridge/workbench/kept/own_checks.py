"""The own checks of a person: kept for the fleet, for a role or for single machines."""

from collections.abc import Iterator

import msgspec

from brave_bridge.core.proof.checks import HTTP, TCP, UNIT, OwnCheck, fault_of
from brave_bridge.core.survey.facts import Facts
from brave_bridge.families.registry import baseline
from brave_bridge.machines.kept_record import KeptRecord
from brave_bridge.machines.port import Machine
from brave_bridge.workbench.places import state_of_fleet
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.roles import known_roles


class OwnChecks(msgspec.Struct, frozen=True):
    """All that a person set, in the order in which they did."""

    checks: tuple[OwnCheck, ...] = ()


KEPT: KeptRecord[OwnChecks] = KeptRecord("own-checks.json", OwnChecks, OwnChecks())


def all_checks(kind: str) -> tuple[OwnCheck, ...]:
    """Every check that is set, for machines of one kind of target."""
    return KEPT.read(state_of_fleet(kind)).checks


def checks_for(kind: str, machine: str, facts: Facts) -> tuple[OwnCheck, ...]:
    """Those that are asked on a machine."""
    return tuple(check for check in all_checks(kind) if check.is_of(machine, roles_of(facts)))


def roles_of(facts: Facts) -> frozenset[str]:
    """The roles of a machine, by the packages that are installed."""
    found = (known_roles().of(package.name) for package in facts.installed)
    return frozenset(role.name for role in found if role is not None)


def set_check(kind: str, check: OwnCheck) -> None:
    """Set a check; one of the same name gives way. Refused where it makes no sense."""
    if why := fault_of(check):
        raise Refused("setting a check", why)

    def with_it(known: OwnChecks) -> OwnChecks:
        others = tuple(one for one in known.checks if one.name != check.name)
        return OwnChecks((*others, check))

    KEPT.change(state_of_fleet(kind), with_it)


def forget_check(kind: str, name: str) -> None:
    """Take a check away; Refused where none has that name."""
    known = [check.name for check in all_checks(kind)]
    if name not in known:
        raise Refused("forgetting a check", f"there is no check {name}", f"set: {', '.join(known)}")

    def without(kept: OwnChecks) -> OwnChecks:
        return OwnChecks(tuple(check for check in kept.checks if check.name != name))

    KEPT.change(state_of_fleet(kind), without)


def set_what_listens(kind: str, machine: Machine, family: str) -> tuple[str, ...]:
    """Set every check that is suggested for a machine; their names."""
    found = tuple(suggested(kind, baseline(machine, family)))
    for check in found:
        set_check(kind, check)
    return tuple(check.name for check in found)


_ANSWERING = {
    "22": "remote access",
    "25": "mail",
    "53": "names",
    "123": "time",
    "143": "mail boxes",
    "445": "files",
    "993": "mail boxes",
    "2049": "files",
    "3306": "database",
    "5432": "database",
    "6379": "database",
}


def suggested(kind: str, facts: Facts) -> Iterator[OwnCheck]:
    """Checks of what listens on a machine, by its baseline; none that is set already."""
    machine = facts.machine
    set_already = {(check.kind, check.target) for check in all_checks(kind)}
    ports = next((topic.values for topic in facts.topics if topic.name == "ports"), {})
    for check in _of_ports(machine, ports, facts.identity.hostname or machine):
        if (check.kind, check.target) not in set_already:
            yield check


def _of_ports(machine: str, ports: dict[str, str], host: str) -> Iterator[OwnCheck]:
    for port, program in ports.items():
        protocol, _, rest = port.partition(" ")
        number = rest.partition(" ")[0]
        where = "127.0.0.1" if rest.endswith("(local)") else host
        if protocol == "tcp" and number in ("80", "443", "8080"):
            scheme = "https" if number == "443" else "http"
            url = f"{scheme}://{where}" + ("" if number in ("80", "443") else f":{number}") + "/"
            yield OwnCheck(
                name=f"{machine}: page at {number}",
                kind=HTTP,
                target=(url,),
                expected="200",
                machines=(machine,),
            )
        elif protocol == "tcp" and number in _ANSWERING:
            yield OwnCheck(
                name=f"{machine}: {_ANSWERING[number]} at {number}",
                kind=TCP,
                target=(where, number),
                machines=(machine,),
            )
        elif number == "123" and program:
            yield OwnCheck(
                name=f"{machine}: time service",
                kind=UNIT,
                target=(f"{program}.service",),
                expected="active",
                machines=(machine,),
            )

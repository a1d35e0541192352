"""A second look at reasons: whether their facts are true, suffice, and are all needed."""

from itertools import chain

from pysat.solvers import Solver

from brave_bridge.core.packages.package_version import PackageVersion
from brave_bridge.core.planning.explanation import (
    AGAINST,
    ALIKE,
    GOES_TO,
    HELD,
    NEEDS,
    STAYS,
    Fact,
    Reason,
)
from brave_bridge.core.planning.package_plan import PackagePlan
from brave_bridge.core.planning.universe import Universe


def faults_of_reason(
    universe: Universe, plan: PackagePlan, reason: Reason, wanted: list[PackageVersion]
) -> list[str]:
    """What is wrong with the reason why none of the wanted versions stands."""
    if not reason.proven:
        return ["it is not proven"]
    found = [
        f"not true: {fact.words}" for fact in reason.facts if not _is_true(universe, plan, fact)
    ]
    numbers: dict[PackageVersion, int] = {}
    clauses = [_clauses(universe, fact, numbers) for fact in reason.facts]
    ask = [[_number(version, numbers) for version in wanted]]
    if _can_hold([*ask, *chain.from_iterable(clauses)], numbers):
        found.append(f"it leaves another way: {reason.words}")
    for index, fact in enumerate(reason.facts):
        rest = clauses[:index] + clauses[index + 1 :]
        if not _can_hold([*ask, *chain.from_iterable(rest)], numbers):
            found.append(f"not needed: {fact.words}")
    return found


def _is_true(universe: Universe, plan: PackagePlan, fact: Fact) -> bool:
    version = fact.version
    if fact.kind == NEEDS:
        clause = next(clause for clause in version.needs if clause.text == fact.text)
        meeting = {
            id(found)
            for atom in clause.atoms
            for found in universe.meeting(atom, version.architecture)
        }
        return meeting == {id(answer) for answer in fact.answers}
    if fact.kind == AGAINST:
        other = fact.answers[0]
        return other.name != version.name and any(
            universe.is_met_by(atom, other) and atom.architecture in ("", "any", other.architecture)
            for atom in version.against
        )
    if fact.kind == ALIKE:
        other = fact.answers[0]
        same = version.together and other.together and version.version == other.version
        return version.name == other.name and version.slot != other.slot and not same
    after = plan.after.get(version.slot)
    if fact.kind == GOES_TO:
        return after is version and version is not plan.before[version.slot].package
    return fact.kind in (STAYS, HELD) and after is plan.before[version.slot].package


def _number(version: PackageVersion, numbers: dict[PackageVersion, int]) -> int:
    return numbers.setdefault(version, len(numbers) + 1)


def _clauses(universe: Universe, fact: Fact, numbers) -> list[list[int]]:
    own, others = _number(fact.version, numbers), [_number(v, numbers) for v in fact.answers]
    if fact.kind == NEEDS:
        return [[-own, *others]]
    if fact.kind in (AGAINST, ALIKE):
        return [[-own, -others[0]]]
    if fact.kind in (GOES_TO, HELD):
        return [[own]]
    versions = [v for v in universe.called(fact.version.name) if v.slot == fact.version.slot]
    return [[_number(version, numbers) for version in versions]]


def _can_hold(clauses: list[list[int]], numbers: dict[PackageVersion, int]) -> bool:
    slots: dict[str, list[int]] = {}
    for version, number in numbers.items():
        slots.setdefault(version.slot, []).append(number)
    apart = [[-a, -b] for row in slots.values() for a in row for b in row if a < b]
    with Solver(name="minisat22", bootstrap_with=[*clauses, *apart]) as solver:
        return solver.solve()

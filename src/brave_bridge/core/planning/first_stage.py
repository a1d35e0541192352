"""What of a plan can change while nothing is removed and nothing new comes."""

from collections.abc import Mapping

from brave_bridge.core.packages.package_version import PackageVersion
from brave_bridge.core.planning.encoding import Clauses, Encoding
from brave_bridge.core.planning.solver import LevelSolver
from brave_bridge.core.planning.universe import FixedArchive, Universe


def first_stage(universe: Universe, after: Mapping[str, PackageVersion]) -> frozenset[str]:
    """The most slots that can take their version of ``after`` while the others stay as they are."""
    installed = universe.installed
    changing = {
        slot: version
        for slot, version in after.items()
        if slot in installed and version is not installed[slot].package
    }
    within = universe.with_archive(FixedArchive(changing.values()))
    solver, sink = LevelSolver(), Clauses()
    try:
        encoding = Encoding(within, sink, solver.variable)
        encoding.include(one.package for one in installed.values())
        encoding.include(changing.values())
        solver.add(sink.take())
        variables = encoding.variables
        stay = []
        for slot, one in installed.items():
            literal = variables[one.package]
            if slot in changing:
                either = solver.variable()
                solver.add([[-either, literal, variables[changing[slot]]]])
                literal = either
            stay.append(literal)
        solver.minimise(stay)
        solver.minimise(variables[version] for version in changing.values())
        return frozenset(s for s, version in changing.items() if solver.is_true(variables[version]))
    finally:
        solver.close()

"""A SAT solver that minimises how many soft clauses fail, level after level.

Core-guided (OLL; Andres et al., ICLP 2012): a set of soft clauses that cannot all hold is found,
one more of them is let go, until the rest can hold. What a level reached then stands.
"""

from collections.abc import Callable, Iterable, Sequence

import msgspec
from pysat.card import ITotalizer
from pysat.solvers import Solver as _Engine

_ENGINE = "glucose4"


class Unsolvable(Exception):
    """What must hold cannot hold."""


class Reached(msgspec.Struct, frozen=True):
    """What a level came to: how many soft clauses fail, and whether fewer were shown impossible."""

    failed: int
    proven: bool


class LevelSolver:
    """Clauses that must hold, and the levels of soft clauses decided so far.

    Literals are non-zero integers, negative for *not*. ``conflicts`` bounds the work on one
    question; beyond it a level ends with what was found, not proven.
    """

    def __init__(self, conflicts: int = 300_000) -> None:
        self._engine = _Engine(name=_ENGINE, incr=False)
        self._conflicts = conflicts
        self._top = 0
        self.guidance: dict[int, None] = {}
        """Literals that would be good, without weight: they keep what is tried near the aim."""
        self.model: list[int] = []
        """The literals that hold in what was found last, by their variables."""
        self._totalizers: list[ITotalizer] = []
        # What was decided holds under this literal, which is always assumed: the engine tells
        # what follows from assumptions, but not what holds without any.
        self._decided = self.variable()

    def close(self) -> None:
        """Free what the engine holds."""
        for totalizer in self._totalizers:
            totalizer.delete()
        self._engine.delete()

    def variable(self) -> int:
        """A new variable."""
        self._top += 1
        return self._top

    def add(self, clauses: Iterable[Sequence[int]]) -> None:
        """Clauses that must hold from now on."""
        self._engine.append_formula(clauses, no_return=True)

    def prefer(self, literals: Iterable[int]) -> None:
        """What to try first; it speeds things up and changes no result."""
        self._engine.set_phases(literals)

    def solve(self, assumptions: Sequence[int] = ()) -> bool | None:
        """Whether all can hold with these; None where that was not found out in time."""
        self._engine.conf_budget(self._conflicts)
        answer = self._engine.solve_limited(assumptions=[self._decided, *assumptions])
        if answer:
            self.model = self._engine.get_model()
        return answer

    def follows(self, assumptions: Sequence[int]) -> list[int]:
        """The literals that follow from what holds by simple propagation."""
        possible, literals = self._engine.propagate(assumptions=[self._decided, *assumptions])
        return literals if possible else []

    def core(self) -> list[int]:
        """The assumptions of the last question that cannot hold together."""
        return [lit for lit in self._engine.get_core() or () if lit != self._decided]

    def decide(self, literals: Iterable[int], scope: Sequence[int] = ()) -> None:
        """Hold on to literals, under a scope alone where one is given."""
        unless = [-self._decided, *(-literal for literal in scope)]
        self.add([[*unless, literal] for literal in literals])

    def is_true(self, literal: int) -> bool:
        """Whether a literal holds in what was found last."""
        value = self.model[abs(literal) - 1] if abs(literal) <= len(self.model) else -1
        return (value > 0) == (literal > 0)

    def minimise(
        self,
        soft: Iterable[int],
        scope: Sequence[int] = (),
        refine: Callable[[], bool] = lambda: False,
    ) -> Reached:
        """Let as few of these literals fail as can be, and hold on to that.

        ``scope``: literals under which alone it is held on to, for what is tried and taken
        back. ``refine`` is asked whenever something was found: it adds the clauses that were
        left out so far and do not hold there, and tells whether there were any. Raises
        Unsolvable where nothing at all can hold.
        """
        return _Level(self, dict.fromkeys(soft), tuple(scope), refine).run()

    # For levels

    def totalizer(self, literals: list[int]) -> ITotalizer:
        """A counter of true literals, its clauses added."""
        counter = ITotalizer(lits=literals, ubound=1, top_id=self._top)
        self._top = max(self._top, counter.top_id)
        self.add(counter.cnf.clauses)
        self._totalizers.append(counter)
        return counter

    def widen(self, counter: ITotalizer, bound: int) -> None:
        """Let a counter count one further."""
        counter.increase(ubound=bound, top_id=self._top)
        self._top = max(self._top, counter.top_id)
        if counter.nof_new:
            self.add(counter.cnf.clauses[-counter.nof_new :])


class _Level:
    """One level under way: the soft clauses that are still taken for granted."""

    def __init__(
        self,
        solver: LevelSolver,
        soft: dict[int, None],
        scope: tuple[int, ...],
        refine: Callable[[], bool],
    ) -> None:
        self.solver = solver
        self.refine = refine
        self.granted = soft
        self.scope = scope
        self.counters: dict[int, tuple[ITotalizer, int]] = {}
        self.failed = 0

    def run(self) -> Reached:
        original = list(self.granted)
        self._let_go_of_the_impossible()
        while True:
            guidance = self.solver.guidance
            answer = self.solver.solve([*self.scope, *self.granted, *guidance])
            if answer and self.refine():
                continue
            if answer:
                self.solver.decide(self.granted, self.scope)
                return Reached(self.failed, True)
            if answer is None:
                return self._settle_for_what_is_found(original)
            core = self.solver.core()
            if self._drops_guidance(core):
                continue
            core = [literal for literal in core if literal in self.granted]
            if not core:
                raise Unsolvable
            self._relax(self._smaller(core))

    def _drops_guidance(self, core: list[int]) -> bool:
        """Do without the guidance that is in the way; whether there was any."""
        guidance = self.solver.guidance
        misleading = [lit for lit in core if lit in guidance and lit not in self.granted]
        for literal in misleading:
            del guidance[literal]
        return bool(misleading)

    def _let_go_of_the_impossible(self) -> None:
        """Those that what holds already rules out fail without being asked for one by one."""
        for literal in self.solver.follows(self.scope):
            if -literal in self.granted:
                del self.granted[-literal]
                self.failed += 1

    def _smaller(self, core: list[int]) -> list[int]:
        """A core asked again, which often makes it smaller."""
        while len(core) > 2:
            if self.solver.solve([*self.scope, *core]) is not False:
                return core
            again = [literal for literal in self.solver.core() if literal in self.granted]
            if not again or len(again) >= len(core):
                return core
            core = again
        return core

    def _relax(self, core: list[int]) -> None:
        """Of these at least one fails: let one go, count the others."""
        self.failed += 1
        for literal in core:
            del self.granted[literal]
            if literal in self.counters:
                self._count_further(*self.counters.pop(literal))
        if len(core) > 1:
            self._watch(self.solver.totalizer([-literal for literal in core]), 1)

    def _count_further(self, counter: ITotalizer, bound: int) -> None:
        if bound + 1 < len(counter.lits):
            self.solver.widen(counter, bound + 1)
            self._watch(counter, bound + 1)

    def _watch(self, counter: ITotalizer, bound: int) -> None:
        """Want that no more than ``bound`` of a counter's literals are true."""
        literal = -counter.rhs[bound]
        self.granted[literal] = None
        self.counters[literal] = (counter, bound)

    def _settle_for_what_is_found(self, soft: list[int]) -> Reached:
        """Out of time: keep what can be had without searching further."""
        while True:
            if not self.solver.solve(self.scope):
                raise Unsolvable
            if not self.refine():
                break
        met = [literal for literal in soft if self.solver.is_true(literal)]
        self.solver.decide(met, self.scope)
        return Reached(len(soft) - len(met), False)

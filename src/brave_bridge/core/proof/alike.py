"""Two baselines held against each other without a plan: then and now, or two machines."""

from brave_bridge.core.proof.compare import Proof
from brave_bridge.core.proof.difference import REGRESSION, SAME
from brave_bridge.core.proof.topics import compare_topics, folded
from brave_bridge.core.survey.facts import Facts


def hold_against(before: Facts, after: Facts) -> Proof:
    """What of ``after`` is other than of ``before``, topic by topic; what is worse first."""
    points = folded(list(compare_topics(before, after, ())))
    different = sorted((one for one in points if one.verdict != SAME), key=lambda one: one.rank)
    return Proof(
        passed=not any(one.verdict == REGRESSION for one in different),
        differences=tuple(different),
        same=tuple(one for one in points if one.verdict == SAME),
    )


def both(first: Proof, second: Proof) -> Proof:
    """Two proofs as one: it passed where both did."""
    different = sorted((*first.differences, *second.differences), key=lambda one: one.rank)
    return Proof(
        passed=first.passed and second.passed,
        differences=tuple(different),
        same=(*first.same, *second.same),
        tasks=(*first.tasks, *second.tasks),
    )

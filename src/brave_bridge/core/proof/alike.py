"""Two baselines held against each other without a plan: then and now, or two machines."""

import msgspec

from brave_bridge.core.proof.compare import Proof, proof_of
from brave_bridge.core.proof.difference import EXPECTED
from brave_bridge.core.proof.topics import compare_topics, folded
from brave_bridge.core.survey.facts import Facts


def hold_against(before: Facts, after: Facts) -> Proof:
    """What of ``after`` is other than of ``before``, topic by topic; what is worse first."""
    return proof_of(folded(list(compare_topics(before, after, ()))))


def hold_on_kernel(before: Facts, after: Facts, kernel: str) -> Proof:
    """The same on a kernel that was asked for: that it runs is as it should be."""
    return proof_of(
        msgspec.structs.replace(point, verdict=EXPECTED, meaning="as it was asked for")
        if point.topic == "system" and point.subject == "kernel" and point.after == kernel
        else point
        for point in folded(list(compare_topics(before, after, ())))
    )


def both(first: Proof, second: Proof) -> Proof:
    """Two proofs as one: it passed where both did."""
    points = (*first.differences, *first.same, *second.differences, *second.same)
    return proof_of(points, first.tasks + second.tasks)

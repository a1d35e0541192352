"""Is there room for the leg?"""

from collections.abc import Iterable

from brave_bridge.core.formats.text import byte_size
from brave_bridge.core.survey.findings import Finding, Rule, Situation, Verdict

MARGIN_BYTES = 200_000_000
"""Room left over beyond what the plan needs."""

ASSUMED_BYTES = 2_000_000_000
"""What a leg is taken to need before it is planned."""


def needed_bytes(situation: Situation) -> int:
    """What the leg takes at its largest: downloads and growth, with a margin."""
    if situation.plan is None:
        return ASSUMED_BYTES
    return situation.plan.download_bytes + max(situation.plan.disk_bytes, 0) + MARGIN_BYTES


def judge(situation: Situation) -> Iterable[Finding]:
    need = needed_bytes(situation)
    basis = "the plan needs" if situation.plan else "a leg is taken to need"
    for space in situation.facts.space:
        evidence = f"{space.path}: {byte_size(space.free_bytes)} free; {basis} {byte_size(need)}"
        if space.free_bytes < need:
            yield Finding(
                "free-space",
                Verdict.STOP if situation.plan else Verdict.CAUTION,
                f"Only {byte_size(space.free_bytes)} free on {space.path}",
                evidence,
                "A full disk in the middle of a leg leaves packages half installed.",
                "Free space (apt-get clean, old logs), or grow the file system.",
                can_be_overruled=True,
            )
        else:
            yield Finding(
                "free-space",
                Verdict.CLEAR,
                f"{byte_size(space.free_bytes)} free on {space.path}",
                evidence,
            )


RULE = Rule("free-space", "there is room for the leg", judge)

"""What changed between two surveys of a machine."""

from collections.abc import Iterable

import msgspec

from brave_bridge.core.survey.findings import Finding, Verdict


class FindingChange(msgspec.Struct, frozen=True):
    """A point that is judged otherwise than before. None: it was, or is, no point at all."""

    id: str
    before: Finding | None
    after: Finding | None

    @property
    def is_worse(self) -> bool:
        """Whether it is graver than before."""
        return _gravity(self.after) < _gravity(self.before)


def _gravity(finding: Finding | None) -> int:
    """The lower, the graver; what is clear, or is not judged, is equally harmless."""
    if finding is None or finding.verdict in (Verdict.CLEAR, Verdict.NOT_APPLICABLE):
        return Verdict.CLEAR.gravity
    return finding.verdict.gravity


def survey_difference(
    before: Iterable[Finding], after: Iterable[Finding]
) -> tuple[FindingChange, ...]:
    """The points whose verdict, or whose words among grave ones, changed; worse ones first."""
    old, new = _by_point(before), _by_point(after)
    changes = [
        FindingChange(key[0], old.get(key), new.get(key))
        for key in dict.fromkeys((*new, *old))
        if _differ(old.get(key), new.get(key))
    ]
    return tuple(sorted(changes, key=lambda change: not change.is_worse))


def _by_point(findings: Iterable[Finding]) -> dict[tuple[str, int], Finding]:
    """The findings by rule and, where a rule has several, by their order in it."""
    numbered: dict[tuple[str, int], Finding] = {}
    counts: dict[str, int] = {}
    for finding in findings:
        number = counts.get(finding.id, 0)
        counts[finding.id] = number + 1
        numbered[finding.id, number] = finding
    return numbered


def _differ(before: Finding | None, after: Finding | None) -> bool:
    if before is None or after is None or _gravity(before) != _gravity(after):
        return _gravity(before) != _gravity(after)
    return _gravity(after) < Verdict.CLEAR.gravity and before.title != after.title

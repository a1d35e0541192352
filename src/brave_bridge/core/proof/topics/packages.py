"""Packages: counts by origin move with a leg; single packages are judged against the plan."""

from collections.abc import Iterator

import msgspec

from brave_bridge.core.proof.around import Around, by_name
from brave_bridge.core.proof.difference import EXPECTED, Difference
from brave_bridge.core.survey.topic import TopicSeen


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description."""
    for one in by_name(before, after, gone=EXPECTED, changed=EXPECTED):
        # Single tools are told from the packages themselves.
        if not one.subject.startswith("tool "):
            yield msgspec.structs.replace(one, meaning="")

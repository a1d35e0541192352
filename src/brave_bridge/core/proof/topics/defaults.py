"""Default programs: another program is worse, another version of the same is not."""

import re
from collections.abc import Iterator

from brave_bridge.core.proof.around import Around, keys, point
from brave_bridge.core.proof.difference import (
    EXPECTED,
    REGRESSION,
    SAME,
    SURFACE,
    UNEXPLAINED,
    Difference,
)
from brave_bridge.core.survey.topic import TopicSeen

_VERSION = re.compile(r"[-_.]?\d[\d._]*")


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description."""
    for name in keys(before, after):
        old, now = before.values.get(name, ""), after.values.get(name, "")
        if old == now:
            yield Difference(name, old, now, SAME, topic=before.name)
        elif not old:
            yield point(before, name, "none", now, EXPECTED)
        elif not now:
            because = around.removal_of(_program(old))
            why = "no program serves it any more"
            verdict = EXPECTED if because else UNEXPLAINED
            yield point(before, name, old, "none", verdict, why, because=because)
        elif _program(old) == _program(now):
            yield point(before, name, old, now, EXPECTED, "another version of the same program")
        elif because := around.removal_of(_program(old)):
            why = "the program of before goes away by the plan"
            yield point(before, name, old, now, EXPECTED, why, because=because)
        else:
            why = "another program than before is the default"
            yield point(before, name, old, now, REGRESSION, why, kind=SURFACE)


def _program(path: str) -> str:
    """A program's name without folders and versions: ``python`` of ``/usr/bin/python3.11``."""
    return _VERSION.sub("", path.rpartition("/")[2])

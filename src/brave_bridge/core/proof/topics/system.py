"""The system: an older kernel, another default target or a lost edition is worse."""

from collections.abc import Iterator

from brave_bridge.core.licensed.system import WAITING
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
from brave_bridge.core.versions.deb import version_key

_MOVED_BY_LEGS = (
    "release",
    "build",
    "profile",
    "boot entry",
    "edition",
    "licence ends",
    "licence channel",
    "licence key",
    "trial mark",
)
"""What legs change; release and edition are judged by where the legs were to lead."""


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description."""
    for name in keys(before, after):
        old, now = before.values.get(name, ""), after.values.get(name, "")
        if name in ("release", "edition"):
            continue
        if old == now:
            yield Difference(name, old, now, SAME, topic=before.name)
        elif name == "kernel":
            yield _kernel(before, old, now)
        elif name == "command line":
            yield _command_line(before, old, now)
        elif name == "default target":
            yield point(before, name, old, now, REGRESSION, kind=SURFACE)
        elif name == "activation":
            yield _activation(before, old, now)
        elif name in _MOVED_BY_LEGS:
            yield point(before, name, old, now, EXPECTED)
        else:
            yield point(before, name, old, now, UNEXPLAINED)


def _kernel(topic: TopicSeen, old: str, now: str) -> Difference:
    if version_key(now) < version_key(old):
        why = "an older kernel than before runs"
        return point(topic, "kernel", old, now, REGRESSION, why, kind=SURFACE)
    return point(topic, "kernel", old, now, EXPECTED)


def _activation(topic: TopicSeen, old: str, now: str) -> Difference:
    if now == WAITING:
        why = "the licence is not activated yet"
        return point(topic, "activation", old, now, REGRESSION, why, kind=SURFACE)
    return point(topic, "activation", old, now, EXPECTED if now else REGRESSION)


def _command_line(topic: TopicSeen, old: str, now: str) -> Difference:
    """Parameters that a boot entry brings differ; what else was given must still be there."""
    brought = ("BOOT_IMAGE=", "initrd=", "kernel=", "root=")
    lost = [word for word in old.split() if word not in now.split()]
    lost = [word for word in lost if not word.startswith(brought)]
    if lost:
        why = f"no longer given: {' '.join(lost)}"
        return point(topic, "command line", old, now, REGRESSION, why, kind=SURFACE)
    return point(topic, "command line", old, now, EXPECTED)

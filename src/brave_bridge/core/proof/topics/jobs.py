"""Scheduled jobs: what a person set must still be there; what packages ship moves with them."""

from collections.abc import Iterator

from brave_bridge.core.proof.around import Around, point
from brave_bridge.core.proof.difference import (
    DATA,
    EXPECTED,
    REGRESSION,
    SAME,
    UNEXPLAINED,
    Difference,
)
from brave_bridge.core.survey.topic import TopicSeen

_OF = "of "
_PERSONS = ("/var/spool/cron", "/etc/crontab")


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description."""
    units = around.topic("units")[1].values
    for job, old in before.values.items():
        if job in after.values:
            yield Difference(job, old, old, SAME, topic=before.name)
            continue
        if old.startswith(_OF):
            yield _shipped_otherwise(before, job, old.removeprefix(_OF), around)
            continue
        file = job.partition(": ")[0]
        name = file.rpartition("/")[2]
        same_file = any(other.startswith(f"{file}: ") for other in after.values)
        if timer := next((u for u in units if u.endswith(".timer") and name in u), ""):
            yield point(before, job, "set", timer, EXPECTED, f"{timer} does it now")
        elif because := around.removal_of(name):
            yield point(before, job, "set", "gone", EXPECTED, "its package went", because=because)
        elif same_file and not file.startswith(_PERSONS):
            yield point(before, job, "set", "changed", UNEXPLAINED, f"{file} has others now")
        else:
            why = "nothing does it any more"
            yield point(before, job, "set", "gone", REGRESSION, why, kind=DATA)
    for job, now in after.values.items():
        if job not in before.values:
            yield point(before, job, "not set", now, EXPECTED)


def _shipped_otherwise(topic: TopicSeen, job: str, package: str, around: Around) -> Difference:
    """A job that its package brought and does not bring any more."""
    because = around.change_of(package)
    verdict = EXPECTED if because else UNEXPLAINED
    why = f"{package} does not ship it so any more"
    return point(topic, job, f"of {package}", "gone", verdict, why, because=because)

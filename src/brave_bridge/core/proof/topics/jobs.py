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

_PERSONS = ("/var/spool/cron", "/etc/crontab")


def compare(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    """See the package's description."""
    units = around.topic("units")[1].values
    for job in before.values:
        if job in after.values:
            yield Difference(job, "set", "set", SAME, topic=before.name)
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
    for job in after.values:
        if job not in before.values:
            yield point(before, job, "not set", "set", EXPECTED)

"""How each topic of a baseline is compared, by what its names and values mean.

A topic without a module here is compared name by name: what is gone is worse.
"""

from collections.abc import Iterator

from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.proof.around import NOTHING, Around, Compare, by_name, point
from brave_bridge.core.proof.checks import MINOR_TOPIC, TOPIC
from brave_bridge.core.proof.difference import NOT_READ, REGRESSION, SAME, UNEXPLAINED, Difference
from brave_bridge.core.proof.topics import (
    accounts,
    answers,
    certificates,
    clock,
    defaults,
    devices,
    disks,
    firewall,
    guests,
    interpreters,
    jobs,
    mounts,
    network,
    own_checks,
    packages,
    pools,
    ports,
    room,
    settings,
    shares,
    sound_and_video,
    system,
    units,
)
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen

COMPARES: dict[str, Compare] = {
    "system": system.compare,
    "packages": packages.compare,
    "default programs": defaults.compare,
    "units": units.compare,
    "program settings": settings.compare,
    "ports": ports.compare,
    "answers": answers.compare,
    "mounts": mounts.compare,
    "room": room.compare,
    "disks": disks.compare,
    "pools": pools.compare,
    "shares": shares.compare,
    "guests": guests.compare,
    "scheduled jobs": jobs.compare,
    "interpreters": interpreters.compare,
    "accounts": accounts.compare,
    "network": network.compare,
    "firewall": firewall.compare,
    "devices": devices.compare,
    "sound and video": sound_and_video.compare,
    "certificates": certificates.compare,
    "clock": clock.compare,
    TOPIC: own_checks.compare,
    MINOR_TOPIC: own_checks.compare,
}


def compare_topics(before: Facts, after: Facts, plans: tuple[LegPlan, ...]) -> Iterator[Difference]:
    """Every topic that was read before, held against what is there now."""
    around = Around(
        {topic.name: topic for topic in before.topics},
        {topic.name: topic for topic in after.topics},
        plans,
        after.taken_at[:10],
    )
    for topic in before.topics if after.topics else ():
        if topic:
            yield from _compare(topic, around.after.get(topic.name, NOTHING), around)


def _compare(topic: TopicSeen, now: TopicSeen, around: Around) -> Iterator[Difference]:
    newly_unanswered = now.unanswered if now.unanswered != topic.unanswered else ""
    if newly_unanswered or not now:
        why = newly_unanswered or now.absent
        verdict = NOT_READ if newly_unanswered else UNEXPLAINED
        yield Difference(topic.name, "read", "not known", verdict, why, topic.name)
    if not now:
        return
    for one in COMPARES.get(topic.name, _plainly)(topic, now, around):
        if one.verdict == REGRESSION and _rests_on_silence(one, topic, now, newly_unanswered):
            why = newly_unanswered or f"before: {topic.unanswered}"
            yield point(topic, one.subject, one.before, "not known", UNEXPLAINED, why)
        else:
            yield one


def _rests_on_silence(one: Difference, topic: TopicSeen, now: TopicSeen, silence: str) -> bool:
    """Whether a difference is only that one side did not answer."""
    if one.subject in topic.values:
        return bool(silence) and one.subject not in now.values
    # A sum over all, or what is new: known only where both sides are.
    return bool(silence or topic.unanswered)


def _plainly(before: TopicSeen, after: TopicSeen, around: Around) -> Iterator[Difference]:
    yield from by_name(before, after)


def folded(points: list[Difference]) -> list[Difference]:
    """What stayed the same, one point for each topic."""
    counts: dict[str, int] = {}
    for one in points:
        if one.verdict == SAME and one.topic:
            counts[one.topic] = counts.get(one.topic, 0) + 1
    kept = [one for one in points if not (one.verdict == SAME and one.topic)]
    return [*kept, *(Difference(t, str(n), str(n), SAME, topic=t) for t, n in counts.items())]

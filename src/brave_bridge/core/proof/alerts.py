"""Alerts of an image system: a new one is worse, unless its makers announced it with the image."""

from collections.abc import Iterator

from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.proof.cures import last_image
from brave_bridge.core.proof.difference import (
    BETTER,
    DATA,
    EXPECTED,
    REGRESSION,
    SAME,
    SURFACE,
    Difference,
)
from brave_bridge.core.survey.facts import Facts

TOPIC = "alerts"


def compare_alerts(
    baseline: Facts, after: Facts, plans: tuple[LegPlan, ...]
) -> Iterator[Difference]:
    """What the system complains of now, held against before; nothing where it keeps no list."""
    before = baseline.image.alerts if baseline.image else None
    now = after.image.alerts if after.image else None
    if before is None:
        return
    if now is None:
        why = "the system keeps no list of alerts any more, or none that can be read"
        yield Difference(TOPIC, "read", "not known", "unexplained", why, TOPIC)
        return
    known = {issue for step in last_image(plans) for issue in step.issues}
    were, are = {one.id: one for one in before}, {one.id: one for one in now}
    for name, alert in are.items():
        subject, kind = f"alert {name}", DATA if alert.of_data else SURFACE
        if name in were:
            yield Difference(subject, alert.text, alert.text, SAME, topic=TOPIC)
        elif alert.issue in known and not alert.of_data:
            why = f"{alert.issue}, which its makers announced"
            yield Difference(subject, "none", alert.text, EXPECTED, why, TOPIC)
        else:
            why = "its makers announced none such"
            yield Difference(subject, "none", alert.text, REGRESSION, why, TOPIC, kind)
    for name, alert in were.items():
        if name not in are:
            yield Difference(f"alert {name}", alert.text, "none", BETTER, topic=TOPIC)

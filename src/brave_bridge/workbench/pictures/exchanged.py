"""The picture of a leg that exchanges a system as a whole: its slots, or its phases."""

from collections.abc import Iterator

from brave_bridge.core.formats.text import byte_size
from brave_bridge.core.plan.exchange_steps import ImageStep, MediumStep
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.steps import PlanStep, RestartStep
from brave_bridge.core.survey.facts import Facts
from brave_bridge.drawings.chart import Bar, Lane, Mark

LEGEND = (
    ("█", "the system that comes"),
    ("▓", "the system of now"),
    ("░", "kept, to go back to"),
    ("↻", "a restart"),
)
_RESTART = "↻"
_WRITTEN_BY = 0.45
"""Where on the axis of a leg of images the other slot is written, and started."""


def step_key(number: int, step: str, row: str) -> str:
    """The key of a row of a step of that kind, in the leg of that number."""
    return f"step:{number}:{step}:{row}"


def exchange_lanes(facts: Facts | None, leg: LegPlan, number: int) -> Iterator[Lane]:
    """A lane for each slot or phase of a leg; nothing where it exchanges none."""
    restarts = _first_row(leg.step(RestartStep), number)
    if image := leg.step(ImageStep):
        yield from _slots(facts, image, _first_row(image, number), restarts)
    if medium := leg.step(MediumStep):
        yield from _phases(medium, _first_row(medium, number), restarts)


def _first_row(step: PlanStep | None, number: int) -> str:
    row = next(step.rows(), None) if step else None
    return step_key(number, step.kind, row.what) if step and row else ""


def _slots(facts: Facts | None, step: ImageStep, key: str, restarts: str) -> Iterator[Lane]:
    system = facts.image if facts else None
    here = system.running.name if system else "now"
    build = system.image.version if system else step.old
    kept = (
        Bar(0.0, _WRITTEN_BY, "dense", "plain", build),
        Bar(_WRITTEN_BY, 1.0, "dotted", "quiet", "stays, to fall back to"),
    )
    yield Lane(restarts, f"slot {here}", kept, note="runs now")
    other = system.other if system else None
    before = other.version if other else ""
    comes = (
        Bar(0.0, _WRITTEN_BY, "dotted", "quiet", f"{before} is written over" if before else ""),
        Bar(_WRITTEN_BY, 1.0, "solid", "chosen", f"{step.new_version or step.new}, on trial"),
    )
    marks = (Mark(_WRITTEN_BY, _RESTART, "caution"),)
    yield Lane(key, f"slot {step.slot}", comes, marks, byte_size(step.image_bytes), "chosen")


def _phases(step: MediumStep, key: str, restarts: str) -> Iterator[Lane]:
    parts = step.phases + 1
    prepared = Bar(0.0, 1 / parts, "dense", "plain", "the system of now goes on")
    yield Lane(key, "prepared", (prepared,), note=byte_size(step.medium_bytes))
    for phase in range(1, step.phases + 1):
        bar = Bar(phase / parts, (phase + 1) / parts, "solid", "chosen")
        marks = (Mark(phase / parts, _RESTART, "caution"),)
        note = step.new if phase == step.phases else ""
        yield Lane(restarts, f"phase {phase} of {step.phases}", (bar,), marks, note, "chosen")

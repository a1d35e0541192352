"""The procedure of an image leg: the bundle read again, written into the other slot, tried once.

What runs stays as it is until the new image has proven itself: the trial slot falls back by itself.
"""

from collections.abc import Iterator

from brave_bridge.core.crossing.leg_under_way import DONE, LegUnderWay, Objection
from brave_bridge.core.crossing.made_as_one.image_settings import export_settings
from brave_bridge.core.crossing.procedure import LegProcedure
from brave_bridge.core.crossing.replies import Answered, BundleRead, FactsRead, Ran
from brave_bridge.core.crossing.requests import Ask, ReadBundle, ReadFacts, Run, Script
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import ended_well, last_words, what_was_seen
from brave_bridge.core.formats.progress import percent_in
from brave_bridge.core.formats.text import plain, shortened
from brave_bridge.core.images.system import TOOL, TRIAL, ImageSystem
from brave_bridge.core.plan.exchange_steps import ImageStep
from brave_bridge.core.survey.facts import Facts

WRITING = "writing"
"""The step of a leg whose other slot is not what it was; whoever goes on begins here."""

RESTART, STAY = "restart into it", "stay on what runs"
"""What a person answers who has read what the tool remarked."""


class ImageLeg(LegProcedure):
    """See LegProcedure. It is the system's own tool that writes and tries slots."""

    family = "image"
    brings_its_kernel = True
    commands = None
    checkpoints = ("ready", "way back", "read", "written")
    set_aside_suffixes = ()

    def cross(self, leg: LegUnderWay) -> Script[Outcome]:
        """See LegProcedure."""
        step = leg.plan.step(ImageStep)
        if step is None:
            return leg.stopped("ready", "the plan writes no image", "plan again")
        refusal = yield from leg.begin(_objection)
        if refusal:
            return refusal
        why = yield from _read_again(leg, step)
        if why:
            return leg.stopped("read", why, "plan again")
        if leg.facts.image and not leg.begun:
            why = yield from export_settings(leg.facts.image.image.version)
            if why:
                return leg.stopped("settings", why, "see that the settings can be exported")
        yield from leg.checkpoint("read")
        # From here on the other slot is not what it was; what runs is.
        yield from leg.keep_open(WRITING)
        why = yield from _written(leg, step)
        if why:
            return (yield from leg.failed(WRITING, why))
        yield from leg.checkpoint("written")
        reply = yield from Run(
            title=f"Have slot {step.slot} tried at the next boot", argv=(TOOL, "try", step.slot)
        )
        if not ended_well(reply):
            return (yield from leg.failed(WRITING, last_words(reply, 3)))
        return DONE

    def arrived_wrong(self, leg: LegUnderWay, facts: Facts) -> tuple[str, ...]:
        """See LegProcedure."""
        step = leg.plan.step(ImageStep)
        return _wrong_image(step, facts.image) if step and facts.image else ()

    def settle(self, leg: LegUnderWay, facts: Facts) -> Script[Outcome | None]:
        """See LegProcedure: the cures that the system's own tool applies."""
        step = leg.plan.step(ImageStep)
        in_place = facts.image.running.cures if facts.image else ()
        for issue in step.cured_by_tool if step else ():
            if issue in in_place:
                continue
            reply = yield from Run(title=f"Apply the cure of {issue}", argv=(TOOL, "cure", issue))
            if not ended_well(reply):
                leg.warnings += (f"the cure of {issue} is not applied: {last_words(reply)}",)
        return None


def _objection(facts: Facts) -> Objection | None:
    """Why an image leg must not begin."""
    system = facts.image
    if system is None or system.other is None:
        return "there is no other slot to write into", "look at its slots: brave-bridge survey"
    if system.running.state == TRIAL:
        return "what runs is on trial itself", "prove it first, or go back"
    return None


def _read_again(leg: LegUnderWay, step: ImageStep) -> Script[str]:
    """The bundle must be the one that the plan was made of, whole; why it is not."""
    system = leg.facts.image
    reply = yield from ReadBundle(
        title=f"Read {step.bundle} to its end",
        path=step.bundle,
        line=leg.facts.identity.os_id,
        serial=system.slots.serial if system else 0,
    )
    if not isinstance(reply, BundleRead):
        return what_was_seen(reply)
    if reply.manifest.build != step.build:
        return f"it has build {reply.manifest.build}, the plan is for {step.build}"
    return ""


def _written(leg: LegUnderWay, step: ImageStep) -> Script[str]:
    """Write the image, read back what the slot has, review the record; why the leg rests here."""
    ran = yield from Run(
        title=f"Write {step.new} into slot {step.slot}",
        argv=(TOOL, "write", step.slot, step.bundle, step.profile),
        reports_progress=True,
    )
    if not isinstance(ran, Ran) or not ran.ok:
        return last_words(ran, 3)
    reply = yield from ReadFacts(title=f"Read back what slot {step.slot} has")
    if not isinstance(reply, FactsRead) or reply.facts.image is None:
        return what_was_seen(reply) or "the system does not tell any more what its slots have"
    slot = next((s for s in reply.facts.image.slots.slots if s.name == step.slot), None)
    found = (slot.version, slot.build, slot.profile) if slot else ()
    wanted = (step.new_version, step.build, step.profile)
    if found != wanted:
        return f"slot {step.slot} has {found}, not {wanted}"
    return (yield from _reviewed(leg, step, tuple(_remarks(ran.output))))


def _remarks(output: str) -> Iterator[str]:
    for line in output.splitlines():
        if line.strip() and percent_in(line) is None:
            yield plain(line.strip())


def _reviewed(leg: LegUnderWay, step: ImageStep, remarks: tuple[str, ...]) -> Script[str]:
    """Have a person read what the tool remarked, before the restart; why the leg rests here."""
    if not remarks:
        return ""
    told = "\n".join(shortened(remarks, 20))
    answer = yield from Ask(
        title=f"Writing slot {step.slot} left remarks",
        key=f"record-{leg.number}",
        detail=f"{told}\nSlot {step.slot} has the image that was announced; it is not started yet.",
        choices=(RESTART, STAY),
        default=RESTART,
    )
    leg.warnings += tuple(f"while it was written: {one}" for one in shortened(remarks, 5))
    chosen = answer.choice if isinstance(answer, Answered) else STAY
    return "" if chosen == RESTART else "its record was not agreed to"


def _wrong_image(step: ImageStep, system: ImageSystem) -> tuple[str, ...]:
    """Where what came up is not the image that was announced, in both places that tell it."""
    slot = system.running
    if slot.name != step.slot:
        return (f"slot {slot.name} came up with {slot.version}: slot {step.slot} fell back",)
    if (system.image.build, slot.build) != (step.build, step.build):
        seen = f"{system.image.build} says the image, {slot.build} its slot"
        return (f"build {step.build} was announced; {seen}",)
    return ()

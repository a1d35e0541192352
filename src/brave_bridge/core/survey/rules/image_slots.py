"""Do the image that runs and its slot say the same, and is no slot on trial or bad?"""

from collections.abc import Iterator

from brave_bridge.core.images.system import BAD, SLOTS_FILE, TRIAL, disagreements
from brave_bridge.core.survey.findings import (
    Finding,
    Situation,
    caution,
    clear,
    not_applicable,
    rule,
    stop,
)


@rule(
    "image-slots",
    "way back",
    asks="Do the slots say what runs, and is one of them free for the next image?",
    means="The next image is written over what the other slot holds; the way back is what runs.",
)
def image_slots(situation: Situation) -> Iterator[Finding]:
    system = situation.facts.image
    if system is None:
        yield not_applicable("The system has no slots of images", SLOTS_FILE)
        return
    slots = system.slots
    wrong = tuple(disagreements(system))
    if wrong:
        yield stop(
            f"Slot {slots.running} is not what runs: {wrong[0]}",
            f"{SLOTS_FILE}: {'; '.join(wrong)}",
            "Write the image that runs into its slot again before anything else is done.",
        )
        return
    for slot in slots.slots:
        if slot.state in (TRIAL, BAD):
            words = "is on trial" if slot.state == TRIAL else "has failed"
            yield caution(
                f"Slot {slot.name} {words}: {slot.version}, build {slot.build}",
                f"{SLOTS_FILE}: {slot.name} {slot.state}",
                "Prove it and keep it, or go back to the other one, before the next image."
                if slot.state == TRIAL
                else "It is written over by the next image; find out first why it failed.",
            )
            return
    other = system.other
    free = f"slot {other.name} is there for the next" if other else "there is no other slot"
    yield clear(f"Slot {slots.running} runs, {free}", f"{SLOTS_FILE}, build {system.image.build}")

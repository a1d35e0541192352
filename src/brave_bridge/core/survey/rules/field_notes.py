"""Did another machine learn something about this leg?"""

from brave_bridge.core.survey.findings import (
    Situation,
    caution,
    clear,
    not_applicable,
    rule,
    stop,
)


@rule(
    "field-notes",
    "leg",
    asks="Did another machine learn something about this leg?",
    means="It was learnt on a machine of yours that crossed before.",
    overrule=True,
)
def field_notes(situation: Situation):
    if situation.leg is None:
        yield not_applicable("No leg is chosen yet", "choose one on the Route")
        return
    for note in situation.notes:
        evidence = f"written on {note.machine} {note.written[:10]}"
        remedy = note.workaround or "Ask whoever wrote it."
        if note.severity == "wait":
            remedy += f" Lift it once it no longer holds: brave-bridge note lift {note.id}"
            yield stop(f"Wait: {note.text}", evidence, remedy)
        elif note.severity == "caution":
            yield caution(note.text, evidence, remedy)
        else:
            yield clear(note.text, evidence)
    if not situation.notes:
        yield clear(f"No field note warns of {situation.leg.title}", "field notes: none")

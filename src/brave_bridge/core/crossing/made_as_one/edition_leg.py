"""A leg to another edition: its key judged, the edition converted, restarted, activated.

The key is handed to the system's own tool by the runner and stands in nothing that is asked or
answered here. Until the tool has begun to convert, a stop leaves everything as it was.
"""

from brave_bridge.core.crossing.leg_under_way import DONE, LegUnderWay, Objection
from brave_bridge.core.crossing.replies import Answered, FactsRead, KeyUsed, Ran
from brave_bridge.core.crossing.requests import Ask, ReadFacts, Run, Script, UseKey
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import last_words, what_was_seen
from brave_bridge.core.licensed.answers import SILENT, UNUSABLE, Answer, read_answer
from brave_bridge.core.licensed.system import ACTIVE, TOOL
from brave_bridge.core.plan.exchange_steps import EditionStep
from brave_bridge.core.survey.facts import Facts

CONVERTING = "converting"
"""The step of a leg whose edition may have begun to change."""

AGAIN, STOP = "ask it again", "stop here"
WITHOUT = "go on without it"
BY_CODE, LATER = "activate by a code", "leave it for later"

CODE_MARK = "ZZ"
"""How the code begins by which an office confirms an activation on the telephone."""

ACTIVATIONS = 3
"""How often an activation is tried before somebody is asked."""

_UNREACHED = (SILENT, UNUSABLE)


def convert(leg: LegUnderWay, step: EditionStep) -> Script[Outcome]:
    """From the key to the changed edition, which takes effect at the restart."""
    if not leg.begun:
        why = yield from _judged(step)
        if why:
            return leg.stopped("ready", why, f"have a key for edition {step.new} at hand")
    refusal = yield from leg.begin(_objection)
    if refusal:
        return refusal
    yield from leg.keep_open(CONVERTING)
    reply = yield from UseKey(
        title=f"Convert to edition {step.new}",
        edition=step.new,
        mark=step.mark,
        argv=(TOOL, "convert", step.name),
        is_last=True,
    )
    if not isinstance(reply, KeyUsed):
        return (yield from leg.failed(CONVERTING, what_was_seen(reply)))
    if reply.answer.is_refusal:
        return (yield from leg.failed(CONVERTING, reply.answer.told))
    if not reply.is_yes:
        # Nobody has refused the key, the tool ended badly: what comes up behind the restart tells.
        leg.warnings += (
            f"{TOOL} ended with {reply.exit_code} when it converted ({last_words(reply)}): what "
            "came up behind the restart was looked at",
        )
    yield from leg.checkpoint("changed")
    return DONE


def _objection(facts: Facts) -> Objection | None:
    system = facts.licensed
    if system is None:
        return "the system tells nothing of its editions", "look at it: brave-bridge survey"
    return None


def _judged(step: EditionStep) -> Script[str]:
    """Why a key must not be used; asked of whoever sold it, before anything is changed."""
    for number in range(1, 100):
        reply = yield from UseKey(
            title=f"Ask whether the key opens edition {step.new}",
            edition=step.new,
            mark=step.mark,
            argv=(TOOL, "check", step.name),
        )
        if not isinstance(reply, KeyUsed):
            return what_was_seen(reply)
        answer = reply.answer
        if answer.verdict not in _UNREACHED:
            return _objection_to(answer, step)
        chosen = yield from Ask(
            title="The licence service cannot be asked about the key",
            key=f"licence-service-{number}",
            detail=f"{answer.told}.\nNothing is changed yet. The key's form and its edition are "
            "right. Whether it is used up is known only when it is activated: until then the "
            "system runs and asks for that.",
            choices=(AGAIN, STOP, WITHOUT),
            default=STOP,
        )
        if not isinstance(chosen, Answered) or chosen.choice == STOP:
            return answer.told
        if chosen.choice == WITHOUT:
            return ""
    return "the licence service was asked a hundred times"


def _objection_to(answer: Answer, step: EditionStep) -> str:
    if not answer.is_good:
        return answer.told
    if answer.edition != step.name:
        return f"the licence service calls it a key for {answer.edition or 'no edition at all'}"
    return ""


def wrong_edition(step: EditionStep, facts: Facts) -> tuple[str, ...]:
    """Where what came up is not the edition that was announced, in every place that tells it."""
    system = facts.licensed
    if system is None:
        return ("the system tells nothing of its edition",)
    faults = []
    if system.system.edition != step.name:
        faults.append(f"edition {system.title} came up, {step.new} was announced")
    elif system.licence.edition != step.name:
        faults.append(f"the licence is for {system.licence.edition}, the system is {step.new}")
    if not faults and system.licence.trial:
        faults.append(f"it is {step.new} and still calls itself a trial")
    return tuple(faults)


def activate(leg: LegUnderWay, step: EditionStep, facts: Facts) -> Script[None]:
    """Have the licence activated: by its service, by a code on the telephone, or later."""
    if not _waits(facts):
        return
    for number in range(1, 100):
        answer = yield from _tried()
        if answer.is_good:
            leg.warnings += yield from _checked()
            return
        chosen = yield from Ask(
            title="The licence could not be activated",
            key=f"activation-{leg.number}-{number}",
            detail=f"{answer.told}.\nThe edition is {step.new} and runs. By telephone: name the "
            f"code {answer.code or '(none was told)'}, and give the one that is named to you.",
            choices=(AGAIN, LATER, BY_CODE),
            default=LATER,
        )
        choice = chosen.choice if isinstance(chosen, Answered) else LATER
        if choice == BY_CODE and (yield from _by_code()):
            leg.warnings += yield from _checked()
            return
        if choice == LATER:
            break
    leg.warnings += (
        f"the licence is not activated yet: {TOOL} activate, or {TOOL} confirm with a code",
    )


def _waits(facts: Facts) -> bool:
    return facts.licensed is not None and facts.licensed.licence.activation != ACTIVE


def _tried() -> Script[Answer]:
    answer = Answer(SILENT)
    for again in range(ACTIVATIONS):
        title = "Activate the licence" + (f", try {again + 1}" if again else "")
        reply = yield from Run(title=title, argv=(TOOL, "activate"))
        answer = read_answer(reply.output) if isinstance(reply, Ran) else answer
        if answer.verdict not in _UNREACHED:
            break
    return answer


def _by_code() -> Script[bool]:
    reply = yield from UseKey(
        title="Confirm the activation by a code",
        edition="confirmation",
        mark=CODE_MARK,
        argv=(TOOL, "confirm"),
        is_last=True,
    )
    return isinstance(reply, KeyUsed) and reply.is_yes


def _checked() -> Script[tuple[str, ...]]:
    """What the system itself says of it now."""
    reply = yield from ReadFacts(title="See that the licence is active")
    if isinstance(reply, FactsRead) and not _waits(reply.facts):
        return ()
    return ("the activation was confirmed, and the system does not say that it is active",)

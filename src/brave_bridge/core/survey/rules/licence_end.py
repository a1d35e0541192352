"""How long does the system's licence last?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule, stop

SOON_DAYS = 30


@rule(
    "licence-end",
    "release",
    asks="How long does the system's licence last?",
    means="A system whose licence has ended may refuse updates, or stop.",
    needs="licence",
)
def licence_end(situation: Situation):
    licence = situation.facts.licence
    if licence is None:
        yield not_applicable("The system has no licence", situation.facts.where("licence"))
        return
    if not licence.ends:
        evidence = situation.facts.where("licence")
        yield clear(f"The licence of edition {licence.edition} has no end", evidence)
        return
    past = situation.days_since(licence.ends)
    days = -past if past is not None else 0
    evidence = f"{situation.facts.where('licence')}: {licence.edition} until {licence.ends}"
    if days < 0:
        yield stop(
            f"The licence of edition {licence.edition} ended {-days} days ago",
            evidence,
            "Enter a licence key, or go to an edition that needs none.",
        )
    elif days <= SOON_DAYS:
        yield caution(
            f"{days} days left on the licence of edition {licence.edition}",
            evidence,
            "Have the licence key at hand before the leg begins.",
        )
    else:
        yield clear(f"The licence of edition {licence.edition} lasts {days} days", evidence)

"""Is trouble known with this leg for what is installed here?"""

from brave_bridge.core.formats.text import counted, shortened
from brave_bridge.core.releases.conditions import KnownIssue
from brave_bridge.core.survey.findings import (
    Finding,
    Situation,
    caution,
    clear,
    not_applicable,
    rule,
    stop,
)
from brave_bridge.core.survey.known_trouble import UNKNOWN, Trouble, concerning


@rule(
    "known-issues",
    "leg",
    asks="Is trouble known with this leg for what is installed here?",
    means="Others met this on the same leg.",
    overrule=True,
)
def known_issues(situation: Situation):
    leg = situation.leg
    if leg is None:
        yield not_applicable("No leg is chosen yet", "choose one on the Route")
        return
    found = concerning(leg.issues, situation.facts)
    yield from (_finding(trouble, leg.page) for trouble in found)
    elsewhere = len(leg.issues) - len(found)
    if not found:
        seen = (
            f"catalogue of {leg.line}: {counted(elsewhere, 'issue')}, each held against the facts"
        )
        yield clear(f"No trouble is known with {leg.title} here", seen)
    elif elsewhere:
        here = [trouble.issue for trouble in found]
        told = [issue.title for issue in leg.issues if issue not in here]
        yield clear(
            f"{counted(elsewhere, 'known issue')} of this leg not of this machine",
            "; ".join(shortened(told, 3)),
        )


def _finding(trouble: Trouble, page: str) -> Finding:
    issue = trouble.issue
    if trouble.verdict == UNKNOWN:
        return caution(
            f"Not known whether it is so here: {issue.title}",
            trouble.seen,
            issue.workaround or "Look yourself before the leg.",
            meaning=issue.text,
        )
    where = (trouble.seen, issue.page or page, issue.source, _held_against(issue))
    evidence = "; ".join(words for words in where if words)
    remedy = issue.workaround or "Read the vendor's page before the leg."
    if issue.severity == "wait":
        return stop(issue.title, evidence, remedy, meaning=issue.text)
    if issue.severity == "note":
        return clear(f"{issue.title}", f"{evidence}. {issue.text}".strip())
    return caution(issue.title, evidence, remedy, meaning=issue.text)


def _held_against(issue: KnownIssue) -> str:
    """Whether somebody looked at the packages themselves."""
    if issue.checked is not None:
        return f"held against the packages on {issue.checked}"
    return "not held against the packages" if issue.source else ""

"""Is trouble known with this leg for what is installed here?"""

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
    names = {package.name for package in situation.facts.installed}
    here = [
        _finding(issue, issue.concerns(names), leg.page)
        for issue in leg.issues
        if not issue.packages or issue.concerns(names)
    ]
    yield from here
    if not here:
        yield clear(f"No trouble is known with {leg.title} here", f"catalogue of {leg.line}")


def _finding(issue: KnownIssue, concerned: tuple[str, ...], page: str) -> Finding:
    evidence = f"installed here: {', '.join(concerned[:4])}" if concerned else "every machine"
    page = issue.page or page
    evidence += f"; {page}" if page else ""
    remedy = issue.workaround or "Read the vendor's page before the leg."
    if issue.severity == "wait":
        return stop(issue.title, evidence, remedy, meaning=issue.text)
    if issue.severity == "note":
        return clear(f"{issue.title}", f"{evidence}. {issue.text}".strip())
    return caution(issue.title, evidence, remedy, meaning=issue.text)

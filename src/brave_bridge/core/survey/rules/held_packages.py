"""Is anything kept from changing?"""

from collections.abc import Iterable

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Finding, Rule, Situation, Verdict


def judge(situation: Situation) -> Iterable[Finding]:
    held = [package.name for package in situation.facts.held]
    where = situation.facts.where("packages")
    if not held:
        yield Finding("held-packages", Verdict.CLEAR, "No package is held", where)
        return
    yield Finding(
        "held-packages",
        Verdict.CAUTION,
        f"{counted(len(held), 'package')} held: {', '.join(held[:5])}",
        f"{where}: Status: hold",
        "A held package stays at its old version, and so does all that needs a newer one.",
        f"apt-mark unhold {' '.join(held[:5])}",
    )


RULE = Rule("held-packages", "no package is kept from changing", judge, needs="packages")

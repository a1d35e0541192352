"""Did every installation on the machine end well?"""

from collections.abc import Iterable

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Finding, Rule, Situation, Verdict


def judge(situation: Situation) -> Iterable[Finding]:
    broken = situation.facts.broken
    where = situation.facts.where("packages")
    if not broken:
        yield Finding(
            "broken-packages",
            Verdict.CLEAR,
            f"All {len(situation.facts.installed)} packages are whole",
            where,
        )
        return
    states = ", ".join(f"{package.name} ({package.state})" for package in broken[:8])
    yield Finding(
        "broken-packages",
        Verdict.STOP,
        f"{counted(len(broken), 'package')} half installed",
        f"{where}: {states}",
        "The package manager finishes these first; a leg on top of them can fail half-way.",
        "dpkg --configure -a, then apt-get -f install",
    )


RULE = Rule("broken-packages", "no installation was left half done", judge, needs="packages")

"""Did every installation on the machine end well?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Situation, clear, rule, stop


@rule(
    "broken-packages",
    "packages",
    asks="Did every installation on the machine end well?",
    means="The package manager finishes these first; a leg on top of them can fail half-way.",
    needs="packages",
    half_way=True,
)
def broken_packages(situation: Situation):
    broken = situation.facts.broken
    where = situation.facts.where("packages")
    if not broken:
        yield clear(f"All {len(situation.facts.installed)} packages are whole", where)
        return
    states = ", ".join(f"{package.name} ({package.state})" for package in broken[:8])
    yield stop(
        f"{counted(len(broken), 'package')} half installed",
        f"{where}: {states}",
        f"Finish them: {situation.manager.said(situation.manager.finish)}",
        fix=situation.manager.finish,
    )

"""Is everything there that the packages depend on?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.packages.dependencies import unmet_dependencies
from brave_bridge.core.survey.findings import Situation, clear, not_applicable, rule, stop


@rule(
    "missing-dependencies",
    "packages",
    asks="Is everything there that the packages depend on?",
    means="The package manager refuses every other change until this is mended.",
    needs="packages",
    half_way=True,
)
def missing_dependencies(situation: Situation):
    facts = situation.facts
    where = facts.where("packages")
    if not any(package.depends for package in facts.packages):
        yield not_applicable("The dependencies of this family are not read", where)
        return
    # What is half installed is the subject of another rule.
    whole = {package.name for package in facts.installed if not package.is_broken}
    unmet = [found for found in unmet_dependencies(facts.packages) if found.package in whole]
    if not unmet:
        yield clear("Every dependency is met", where)
        return
    yield stop(
        f"{counted(len(unmet), 'dependency', 'dependencies')} not met",
        f"{where}: " + ", ".join(f"{found.package} needs {found.needs}" for found in unmet[:5]),
        f"Let the package manager mend it: {situation.manager.said(situation.manager.mend)}",
        fix=situation.manager.mend,
    )

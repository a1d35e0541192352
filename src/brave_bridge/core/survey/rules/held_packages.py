"""Is anything kept from changing?"""

from brave_bridge.core.formats.package_locks import OWN_NAME
from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Situation, caution, clear, rule, stop


@rule(
    "held-packages",
    "packages",
    asks="Is anything kept from changing?",
    means="A held package stays at its old version, and so does all that needs a newer one.",
    needs="packages",
    overrule=True,
)
def held_packages(situation: Situation):
    # What holds a series of kernels is told by a rule of its own.
    packages = [package for package in situation.facts.held if OWN_NAME not in package.held_by]
    held = [package.name for package in packages]
    manager = situation.manager
    written = tuple(dict.fromkeys(p.held_by for p in packages if p.held_by))
    where = ", ".join(written[:5]) or f"{situation.facts.where('packages')}: Status: hold"
    if not held:
        yield clear("No package is held", situation.facts.where("packages"))
        return
    by = manager.let_go or (f"take them out of {', '.join(written[:5])}:",) * bool(written)
    remedy = f"Let them go: {' '.join((*by, *held[:5]))}"
    fix = ((*manager.let_go, *held),) if manager.let_go else ()
    blocked = _blocked(situation, set(held))
    if blocked:
        yield stop(
            f"{', '.join(held[:3])} held: {counted(len(blocked), 'package')} cannot come along",
            f"{where}; the plan keeps back {', '.join(blocked[:5])}",
            remedy,
            fix=fix,
            meaning="The leg would end with a mixture of two releases.",
        )
    else:
        title = f"{counted(len(held), 'package')} held: {', '.join(held[:5])}"
        yield caution(title, where, remedy, fix=fix)


def _blocked(situation: Situation, held: set[str]) -> list[str]:
    """What the plan keeps back beside the held packages themselves."""
    kept = situation.plan.packages.kept_back if situation.plan else ()
    return [change.name for change in kept if change.name not in held]

"""Do drivers come from outside the kernel?"""

from brave_bridge.core.formats.text import counted
from brave_bridge.core.survey.findings import Situation, caution, clear, rule


@rule(
    "foreign-modules",
    "hardware",
    asks="Do drivers come from outside the kernel?",
    means="They must be built for the new kernel; until then what they drive does not work.",
)
def foreign_modules(situation: Situation):
    modules = situation.facts.hardware.modules
    where = "/var/lib/dkms, /proc/modules"
    if not modules:
        yield clear("Every driver is the kernel's own", where)
        return
    names = ", ".join(f"{m.name} {m.version}".strip() for m in modules[:5])
    loose = [m.name for m in modules if m.origin == "loaded"]
    remedy = "Check that each has a version for the new kernel series."
    if loose:
        remedy = f"{loose[0]} is not rebuilt by itself: have its source and a compiler at hand."
    yield caution(
        f"{counted(len(modules), 'driver')} from outside the kernel", f"{where}: {names}", remedy
    )

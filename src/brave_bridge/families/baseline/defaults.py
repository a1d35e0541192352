"""Default programs: alternatives, the display manager, the shell that scripts run with."""

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import not_read, topic
from brave_bridge.machines.queries import Contents, Links, Seen

NAME = "default programs"
_ALTERNATIVES = "/etc/alternatives"
_MANAGER = "/etc/X11/default-display-manager"
_MANAGER_UNIT = "/etc/systemd/system/display-manager.service"
_SHELL = "/bin/sh"
_DOCUMENTATION = (".gz", ".1", ".8", ".svg", ".png", ".xml")
_READ = (f"{_ALTERNATIVES}*", _MANAGER, _MANAGER_UNIT, _SHELL)
QUERIES = (
    Links((f"{_ALTERNATIVES}/*", _MANAGER_UNIT, _SHELL, "/usr/bin/sh")),
    Contents((_MANAGER,), 4096),
)


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description."""
    values = {
        path.rpartition("/")[2]: target
        for path, target in sorted(seen.links.items())
        if path.startswith(f"{_ALTERNATIVES}/") and not target.endswith(_DOCUMENTATION)
    }
    manager = seen.word(_MANAGER) or seen.links.get(_MANAGER_UNIT, "").rpartition("/")[2]
    shell = seen.links.get(_SHELL) or seen.links.get("/usr/bin/sh", "")
    values |= {"display manager": manager} if manager else {}
    values |= {"sh": shell} if shell else {}
    return topic(NAME, values, f"{_ALTERNATIVES}, {_MANAGER}, {_SHELL}", not_read(seen, _READ))

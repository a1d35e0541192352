"""Printers of the print service (cups, printers.conf(5)): where each leads, and the default."""

import re

from brave_bridge.core.formats.hidden import hide
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import not_read, topic
from brave_bridge.machines.queries import Contents, Seen

NAME = "printers"
_FILE = "/etc/cups/printers.conf"
QUERIES = (Contents((_FILE,), 4_000_000),)
_PRINTER = re.compile(r"^<(Default)?Printer (\S+)>$(.*?)^</(?:Default)?Printer>", re.M | re.S)
_DEVICE = re.compile(r"^DeviceURI (\S+)", re.M)


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description."""
    values = {}
    for is_default, name, body in _PRINTER.findall(seen.text(_FILE) or ""):
        device = _DEVICE.search(body)
        values[f"printer {name}"] = hide(device[1]) if device else "no device"
        if is_default:
            values["the default printer"] = name
    return topic(NAME, values, _FILE, not_read(seen, (_FILE,)))

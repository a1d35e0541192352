"""Devices with the driver that each has, and modules from outside the kernel."""

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import AT_REST, absent, not_read, topic
from brave_bridge.machines.queries import Contents, Seen

NAME = "devices"
_MODULES = "/proc/modules"
QUERIES = (Contents((_MODULES,), 1_000_000),)
NO_DRIVER = "no driver"


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description."""
    if not facts.runs:
        return absent(NAME, "/sys/bus", AT_REST)
    values = {
        f"device {device.path} {device.modalias[:40]}": device.driver or NO_DRIVER
        for device in facts.hardware.devices
    }
    values |= {
        f"module {module.name}": "loaded"
        for module in facts.hardware.modules
        if module.origin == "loaded"
    }
    return topic(NAME, values, f"/sys/bus, {_MODULES}", not_read(seen, (_MODULES,)))

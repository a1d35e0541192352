"""What is heard and seen: sound cards, screens and cameras that the kernel serves."""

import re

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import AT_REST, absent, not_read, topic
from brave_bridge.machines.queries import Contents, Seen

NAME = "sound and video"
_CARDS = "/proc/asound/cards"
_SCREENS = "/sys/class/drm/card*-*/status"
_CAMERAS = "/sys/class/video4linux/*/name"
QUERIES = (Contents((_CARDS, _SCREENS, _CAMERAS), 64 * 1024),)
_CARD = re.compile(r"^\s*\d+ \[(\S+)\s*\]: (.+)$", re.MULTILINE)
_NUMBER = re.compile(r"^card\d+-")


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description; of screens only those that are there."""
    where = f"{_CARDS}, /sys/class/drm, /sys/class/video4linux"
    if not facts.runs:
        return absent(NAME, where, AT_REST)
    values = {f"sound card {name}": what for name, what in _CARD.findall(seen.text(_CARDS) or "")}
    for path, status in seen.texts(_SCREENS):
        connector = _NUMBER.sub("", path.split("/")[4])
        if status.strip() == "connected":
            values[f"screen {connector}"] = "connected"
    for path, name in seen.texts(_CAMERAS):
        values[f"camera {name.strip()}"] = path.split("/")[4]
    return topic(NAME, values, where, not_read(seen, (_CARDS, _SCREENS, _CAMERAS)))

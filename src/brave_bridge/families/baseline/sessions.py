"""The desktop sessions that are offered at the login, and which is taken: by whom, and by default.

Follows the Desktop Entry Specification, and the settings of the login managers that have such.
"""

import re

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import not_read, topic
from brave_bridge.machines.queries import Contents, Names, Seen

NAME = "login sessions"
_FOLDERS = ("/usr/share/xsessions", "/usr/share/wayland-sessions")
_CHOSEN = "/var/lib/AccountsService/users/*"
_SET = ("/etc/gdm3/*.conf", "/etc/gdm/*.conf", "/etc/lightdm/*.conf", "/etc/lightdm/*.conf.d/*")
_SETTING = re.compile(
    r"^\s*(Session|XSession|WaylandEnable|AutomaticLogin|user-session|autologin-user)\s*=\s*(\S+)",
    re.MULTILINE,
)
QUERIES = (
    Names(tuple(f"{folder}/*.desktop" for folder in _FOLDERS)),
    Contents((_CHOSEN, *_SET), 64 * 1024),
)


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description."""
    values = {}
    for folder in _FOLDERS:
        for found in seen.paths(f"{folder}/*.desktop"):
            kind = "wayland" if "wayland" in folder else "x11"
            name = found.path.rpartition("/")[2].removesuffix(".desktop")
            values[f"{name} ({kind})"] = "offered"
    for path, text in seen.texts(_CHOSEN):
        for name, chosen in _SETTING.findall(text):
            values[f"{name} of {path.rpartition('/')[2]}"] = chosen
    for pattern in _SET:
        for path, text in seen.texts(pattern):
            values |= {f"{name} in {path}": chosen for name, chosen in _SETTING.findall(text)}
    closed = not_read(seen, (*(f"{folder}*" for folder in _FOLDERS), _CHOSEN, *_SET))
    return topic(NAME, values, ", ".join(_FOLDERS), closed)

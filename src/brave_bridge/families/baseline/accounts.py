"""Users and groups (passwd(5), group(5)), with shell, home and members."""

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import absent, not_read, topic, unread
from brave_bridge.machines.queries import Contents, Seen

NAME = "accounts"
_USERS, _GROUPS = "/etc/passwd", "/etc/group"
QUERIES = (Contents((_USERS, _GROUPS), 4_000_000),)


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description."""
    closed = not_read(seen, (_USERS, _GROUPS))
    if seen.text(_USERS) is None:
        if closed:
            return unread(NAME, _USERS, closed)
        return absent(NAME, _USERS, "there is no such file")
    values: dict[str, str] = {}
    for line in (seen.text(_USERS) or "").splitlines():
        fields = line.split(":")
        if len(fields) == 7 and fields[0]:
            values[f"user {fields[0]}"] = f"{fields[2]} {fields[5]} {fields[6]}"
    for line in (seen.text(_GROUPS) or "").splitlines():
        fields = line.split(":")
        if len(fields) == 4 and fields[0]:
            values[f"group {fields[0]}"] = f"{fields[2]} {fields[3]}".strip()
    return topic(NAME, values, f"{_USERS}, {_GROUPS}", closed)

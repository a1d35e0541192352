"""Pools, arrays, volume groups and data sets, with their health."""

import re

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import AT_REST, absent, no_answer, not_read, topic
from brave_bridge.machines.queries import Answers, Contents, Seen

NAME = "pools"
POOLS = ("zpool", "list", "-H", "-o", "name,health")
SETS = ("zfs", "list", "-H", "-o", "name,mountpoint")
GROUPS = ("vgs", "--noheadings", "-o", "vg_name,vg_attr")
_ARRAYS = "/proc/mdstat"
QUERIES = (Answers((POOLS, SETS, GROUPS)), Contents((_ARRAYS,), 64 * 1024))
_MEMBERS = re.compile(r"\[([U_]+)\]")


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description."""
    if not facts.runs:
        return absent(NAME, "zpool, zfs, vgs, /proc/mdstat", AT_REST)
    silent = no_answer(seen, POOLS, SETS, GROUPS)
    values: dict[str, str] = {}
    for kind, command in (("pool", POOLS), ("data set", SETS), ("volume group", GROUPS)):
        for line in seen.answer(*command).output.splitlines() if seen.answer(*command).ok else ():
            name, _, state = line.strip().partition("\t" if "\t" in line else " ")
            values[f"{kind} {name}"] = state.strip()
    values |= _arrays(seen.text(_ARRAYS) or "")
    unanswered = "; ".join(filter(None, (silent, not_read(seen, (_ARRAYS,)))))
    return topic(NAME, values, "zpool, zfs, vgs, /proc/mdstat", unanswered)


def _arrays(text: str) -> dict[str, str]:
    """Arrays of /proc/mdstat (md(4)): an underscore is a member that is missing."""
    found, name = {}, ""
    for line in text.splitlines():
        if " : " in line and line.startswith("md"):
            name = line.split()[0]
        elif name and (match := _MEMBERS.search(line)):
            found[f"array {name}"] = "DEGRADED" if "_" in match[1] else "ONLINE"
            name = ""
    return found

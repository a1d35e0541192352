"""What listens, with the program that does (ss(8))."""

import re

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import AT_REST, absent, topic
from brave_bridge.machines.queries import Answers, Seen

NAME = "ports"
SOCKETS = ("ss", "--no-header", "--listening", "--tcp", "--udp", "--numeric", "--processes")
QUERIES = (Answers((SOCKETS,)),)
_PROGRAM = re.compile(r'\(\("([^"]{1,60})"')
_PASSING = 32768
"""From here on a UDP port is one that the kernel gave for a while."""


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description; one that only this machine reaches is ``(local)``."""
    if not facts.runs:
        return absent(NAME, "ss", AT_REST)
    answer = seen.answer(*SOCKETS)
    values = dict(_listening(answer.output)) if answer.ok else {}
    if not answer.ok:
        values = {f"{port.protocol} {port.number}": "" for port in facts.activity.ports}
    where = "ss" if answer.ok else facts.where("ports")
    return topic(NAME, values, where)


def _listening(output: str):
    for line in output.splitlines():
        words = line.split()
        if len(words) < 5 or words[0] not in ("tcp", "udp"):
            continue
        address, _, number = words[4].rpartition(":")
        if not number.isdigit() or (words[0] == "udp" and int(number) >= _PASSING):
            continue
        local = " (local)" if address.strip("[]").startswith(("127.", "::1")) else ""
        program = _PROGRAM.search(line)
        yield f"{words[0]} {number}{local}", program[1] if program else ""

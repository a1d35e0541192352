"""What listens, with the program that does (ss(8))."""

import re

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import AT_REST, absent, no_answer, topic, unread
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
    if answer.ok:
        return topic(NAME, dict(_listening(answer.output)), "ss")
    silent = no_answer(seen, SOCKETS)
    if facts.why_not("ports"):
        return unread(NAME, "ss", silent or facts.why_not("ports"))
    named = (_named(port.protocol, port.address, port.number) for port in facts.activity.ports)
    return topic(NAME, dict.fromkeys(filter(None, named), ""), facts.where("ports"))


def _listening(output: str):
    for line in output.splitlines():
        words = line.split()
        if len(words) < 5 or words[0] not in ("tcp", "udp"):
            continue
        address, _, number = words[4].rpartition(":")
        program = _PROGRAM.search(line)
        if number.isdigit() and (name := _named(words[0], address, int(number))):
            yield name, program[1] if program else ""


def _named(protocol: str, address: str, number: int) -> str:
    """What a port is called; empty for one that the kernel gave for a while."""
    if protocol == "udp" and number >= _PASSING:
        return ""
    local = " (local)" if address.strip("[]").startswith(("127.", "::1")) else ""
    return f"{protocol} {number}{local}"

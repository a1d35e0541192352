"""Asking a person's own checks: on the machine by its port, over the network from here."""

import socket
import time
from collections.abc import Iterable

from brave_bridge.core.formats.text import decoded, plain
from brave_bridge.core.proof.checks import (
    DNS,
    FAILS,
    FILE,
    HTTP,
    TCP,
    OwnCheck,
    held,
    topics_of_checks,
)
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Answers, Names, Seen

_MOST_BYTES = 1_000_000
"""Of a page that is read."""


def ask_checks(machine: Machine, checks: tuple[OwnCheck, ...]) -> tuple[TopicSeen, ...]:
    """Ask them all; a check that cannot be asked fails, and nothing is raised for it."""
    if not checks:
        return ()
    seen = machine.files.gather(_queries(checks))
    values = {check.name: _asked(check, seen) for check in checks}
    return tuple(topics_of_checks(checks, values))


def _queries(checks: Iterable[OwnCheck]) -> tuple[Answers | Names, ...]:
    commands = [
        Answers((check.argv,), seconds=check.seconds, patiently=())
        for check in checks
        if check.argv
    ]
    return (*commands, Names(tuple(check.target[0] for check in checks if check.kind == FILE)))


def _asked(check: OwnCheck, seen: Seen) -> str:
    try:
        return _told(check, seen)
    except (OSError, ValueError) as error:
        return f"{FAILS}{plain(str(error) or type(error).__name__, 120)}"


def _told(check: OwnCheck, seen: Seen) -> str:
    if check.kind == FILE:
        there = check.target[0] in seen.found
        return held(check, "there") if there else f"{FAILS}there is no such file"
    if check.kind == TCP:
        host, port = check.target
        with socket.create_connection((host, int(port)), timeout=check.seconds):
            return held(check, "it answers")
    if check.kind == DNS:
        found = sorted({str(row[4][0]) for row in socket.getaddrinfo(check.target[0], None)})
        return held(check, " ".join(found))
    if check.kind == HTTP:
        return _page(check)
    return _command(check, seen)


def _command(check: OwnCheck, seen: Seen) -> str:
    answer = seen.answer(*check.argv)
    if answer.took_too_long:
        return f"{FAILS}it did not answer within {check.seconds:.0f} s"
    if not answer.ok:
        return f"{FAILS}it ended with {answer.code}: {plain(answer.output, 100).strip()}"
    return held(check, plain(answer.output).strip())


def _page(check: OwnCheck) -> str:
    import httpx

    until = time.monotonic() + check.seconds
    try:
        with httpx.stream(
            "GET", check.target[0], timeout=check.seconds, follow_redirects=True
        ) as answer:
            content = b""
            for part in answer.iter_bytes():
                content += part
                # The client's own limit is for each read: a page may drip for ever.
                if time.monotonic() > until:
                    return f"{FAILS}it did not end within {check.seconds:.0f} s"
                if len(content) > _MOST_BYTES:
                    break
            page = plain(decoded(content[:_MOST_BYTES]))
    except httpx.HTTPError as error:
        return f"{FAILS}{plain(str(error) or type(error).__name__, 120)}"
    if not check.expected:
        return held(check, f"{answer.status_code}")
    return held(check, f"{answer.status_code} {page}")

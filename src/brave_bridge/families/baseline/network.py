"""Addresses, routes and name servers (ip(8), resolv.conf(5))."""

from collections.abc import Iterator
from typing import Any

import msgspec

from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import absent, no_answer, not_read, not_told, topic
from brave_bridge.machines.queries import Answers, Contents, Seen

NAME = "network"
ADDRESSES = ("ip", "-json", "address", "show")
ROUTES = ("ip", "-json", "route", "show")
_SERVERS, _NAME = "/etc/resolv.conf", "/etc/hostname"
QUERIES = (Answers((ADDRESSES, ROUTES)), Contents((_SERVERS, _NAME), 64 * 1024))


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description; of addresses those that last, not those of the link."""
    values: dict[str, str] = {}
    for row in _rows(seen, ADDRESSES):
        link = str(row.get("ifname", ""))
        for address in row.get("addr_info") or ():
            if _lasts(address):
                values[f"address {address.get('local')}/{address.get('prefixlen')}"] = link
    for row in _rows(seen, ROUTES):
        if row.get("dst") == "default":
            values[f"default route by {row.get('gateway', row.get('dev'))}"] = str(row.get("dev"))
    for line in (seen.text(_SERVERS) or "").splitlines():
        words = line.split()
        if words[:1] == ["nameserver"] and len(words) > 1:
            values[f"name server {words[1]}"] = "used"
    if name := seen.word(_NAME):
        values["host name"] = name
    if not values and (why := not_told(facts, seen, ADDRESSES)):
        return absent(NAME, "ip", why)
    silent = no_answer(seen, ADDRESSES, ROUTES) if facts.runs else ""
    unanswered = "; ".join(filter(None, (silent, not_read(seen, (_SERVERS, _NAME)))))
    return topic(NAME, values, f"ip address, ip route, {_SERVERS}", unanswered)


def _lasts(address: object) -> bool:
    is_global = isinstance(address, dict) and address.get("scope") == "global"
    return isinstance(address, dict) and is_global and not address.get("temporary")


def _rows(seen: Seen, command: tuple[str, ...]) -> Iterator[dict]:
    try:
        rows = decode_json(seen.answer(*command).output or "[]", list[Any])
    except msgspec.DecodeError:
        return
    yield from (row for row in rows if isinstance(row, dict))

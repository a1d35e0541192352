"""Firewall rules: how many there are in each table and chain, and what chains do at their end."""

import re
from collections import Counter

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import absent, no_answer, not_told, topic, unread
from brave_bridge.machines.queries import Answers, Seen

NAME = "firewall"
RULES = ("nft", "list", "ruleset")
OLD_RULES = ("iptables-save",)
QUERIES = (Answers((RULES, OLD_RULES)),)
_TABLE = re.compile(r"^table (\S+ \S+) \{")
_CHAIN = re.compile(r"^\s*chain (\S+) \{")
_POLICY = re.compile(r"policy (\w+);")


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description."""
    why = not_told(facts, seen, RULES)
    if not why:
        return topic(NAME, _nft(seen.answer(*RULES).output), "nft list ruleset")
    if facts.runs and (silent := no_answer(seen, RULES, OLD_RULES)):
        # The older program tells a part of what nft does: of two it is no answer for the other.
        return unread(NAME, "nft, iptables-save", silent)
    if seen.answer(*OLD_RULES).ok:
        return topic(NAME, _iptables(seen.answer(*OLD_RULES).output), "iptables-save")
    return absent(NAME, "nft, iptables-save", why)


def _nft(output: str) -> dict[str, str]:
    counts: Counter[str] = Counter()
    policies: dict[str, str] = {}
    table = chain = ""
    for line in output.splitlines():
        if match := _TABLE.match(line):
            table, chain = match[1], ""
        elif match := _CHAIN.match(line):
            chain = f"{table} {match[1]}"
            counts[chain] += 0
        elif chain and line.strip() == "}":
            chain = ""
        elif chain and (match := _POLICY.search(line)):
            policies[chain] = match[1]
        elif chain and line.strip():
            counts[chain] += 1
    return {name: _said(count, policies.get(name, "")) for name, count in counts.items()}


def _iptables(output: str) -> dict[str, str]:
    counts: Counter[str] = Counter()
    policies: dict[str, str] = {}
    table = ""
    for line in output.splitlines():
        if line.startswith("*"):
            table = line[1:].strip()
        elif line.startswith(":"):
            name, policy = [*line[1:].split(), "", ""][:2]
            counts[f"{table} {name}"] += 0
            policies[f"{table} {name}"] = policy.lower().strip("-")
        elif line.startswith("-A "):
            counts[f"{table} {line.split()[1]}"] += 1
    return {name: _said(count, policies.get(name, "")) for name, count in counts.items()}


def _said(count: int, policy: str) -> str:
    return f"{count} rules" + (f", else {policy}" if policy else "")

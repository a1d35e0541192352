"""Settings as the programs themselves judge them: accepted, or refused with the first fault."""

import re
from functools import cache
from importlib.resources import files

import msgspec

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.program_settings import ACCEPTED, TOPIC, verdict_of
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import AT_REST, absent, topic
from brave_bridge.machines.queries import Answer, Answers, Names, Query, Seen

NAME = TOPIC
_WHERE = "the programs' own checks"
_SECONDS = 20.0


class SettingCheck(msgspec.Struct, frozen=True):
    """How a program checks its settings; it is asked where ``file`` is there, if one is named.

    ``accepted`` are faults that it names only once it has accepted them. ``ahead``: whether its
    new version can be asked before it is the system's.
    """

    name: str
    argv: tuple[str, ...]
    file: str = ""
    accepted: tuple[str, ...] = ()
    ahead: bool = True

    def verdict(self, answer: Answer) -> str:
        """See ``verdict_of``; empty where it did not answer in time, too."""
        if answer.took_too_long:
            return ""
        if any(words in answer.output for words in self.accepted):
            return ACCEPTED
        return verdict_of(answer.code, answer.output)


NOW, THEN = "now", "then"
_ASKED = re.compile(rf"^\[asked\] ({NOW}|{THEN}) (\d+) (\S.*)$", re.MULTILINE)


def asked_beside(output: str) -> dict[str, dict[str, Answer]]:
    """The answers that ``data/ask_new_versions.sh`` prints: by phase and program."""
    found: dict[str, dict[str, Answer]] = {NOW: {}, THEN: {}}
    pieces = _ASKED.split(output)
    for phase, code, name, said in zip(*(pieces[n::4] for n in (1, 2, 3, 4)), strict=True):
        found[phase][name] = Answer(int(code), said)
    return found


class _Table(msgspec.Struct, frozen=True):
    check: tuple[SettingCheck, ...]


@cache
def setting_checks() -> tuple[SettingCheck, ...]:
    """Every check there is (``data/setting_checks.toml``)."""
    text = files("brave_bridge.data").joinpath("setting_checks.toml").read_text(encoding="utf-8")
    return msgspec.toml.decode(text, type=_Table).check


def queries() -> tuple[Query, ...]:
    """The programs' own checks, and whether the files are there that they are about."""
    checks = setting_checks()
    asked = Answers(tuple(c.argv for c in checks), _SECONDS, patiently=(), with_errors=True)
    return asked, Names(tuple(check.file for check in checks if check.file))


QUERIES = queries()


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description."""
    return told(seen) if facts.runs else absent(NAME, _WHERE, AT_REST)


def told(seen: Seen) -> TopicSeen:
    """What the programs of a system that runs say."""
    values: dict[str, str] = {}
    silent: list[str] = []
    for check in setting_checks():
        answer = seen.answer(*check.argv)
        if answer.is_not_there or (check.file and check.file not in seen.found):
            continue
        if verdict := check.verdict(answer):
            values[check.name] = verdict
        else:
            why = "did not answer in time" if answer.took_too_long else "may not be read by us"
            silent.append(f"{check.name} {why}")
    return topic(NAME, values, _WHERE, "; ".join(silent))

"""The families there are: ours, and those that other packages bring by an entry point.

A package brings one by the entry point group ``brave_bridge.families``: the family's name and
the object (Python Packaging User Guide, entry points specification).
"""

import importlib
import importlib.metadata
from collections.abc import Callable, Iterable, Iterator
from functools import cache
from typing import TypeVar

import msgspec

from brave_bridge.core.crossing.family import CrossingFamily
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.package_manager import PackageManager
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families import basic
from brave_bridge.families.family import Family
from brave_bridge.families.topics.asked import Asked
from brave_bridge.machines.port import LookedAt
from brave_bridge.machines.queries import Answers, Names, Query, Seen

_Ability = TypeVar("_Ability")
_Gather = Callable[[Iterable[Query]], Seen]

GROUP = "brave_bridge.families"
_OURS = ("deb", "rpm", "alpm", "image", "licensed")
"""Known without looking through all that is installed, which takes a while."""

_ONCE_MORE_SECONDS = 60.0
"""How long those are waited for who did not answer when a baseline was read."""

NONE = Family()
"""What a system is of that no family knows: it is able to do nothing by packages."""


@cache
def family_named(name: str) -> Family:
    """A family by its name; ``NONE`` where nobody brings one of that name."""
    if name in _OURS:
        return importlib.import_module(f"brave_bridge.families.{name}.family").FAMILY
    found = importlib.metadata.entry_points(group=GROUP, name=name)
    return next((point.load() for point in found), NONE)


def able(ability: _Ability | None, family: str, to: str) -> _Ability:
    """An ability that a family must have; LookupError where it has not."""
    if ability is None:
        raise LookupError(f"the family {family or 'of this system'} is not able to {to}")
    return ability


def commands_of(family: str) -> CrossingFamily:
    """The commands of a family's package manager; LookupError where none are known."""
    return able(family_named(family).commands, family, "change packages")


def all_families() -> tuple[Family, ...]:
    """Every family, ours first."""
    found = importlib.metadata.entry_points(group=GROUP)
    names = dict.fromkeys((*_OURS, *(point.name for point in found)))
    return tuple(family_named(name) for name in names)


def baseline(machine: LookedAt, family: str, answered: dict[str, str] | None = None) -> Facts:
    """The facts of a machine with the topics of a baseline, in two round trips; see ``survey``.

    ``answered`` is what its ports did before (``OUTCOMES``): they are waited for. Whoever is
    asked and does not answer is asked once more, and given more time.
    """
    from brave_bridge.families.baseline import queries, read_topics

    family = family or family_by_database(machine)
    facts, seen = _read(machine, family, queries(answered or {}), _patiently(machine))
    facts = msgspec.structs.replace(facts, family=family)
    return msgspec.structs.replace(facts, topics=tuple(read_topics(facts, seen)))


def settings_told(machine: LookedAt) -> TopicSeen:
    """What the programs of a system that runs say of their settings; asked again where need be."""
    from brave_bridge.families.baseline import settings

    return settings.told(_patiently(machine)(settings.queries()))


def survey(machine: LookedAt, family: str, asked: Asked = Asked()) -> Facts:
    """The facts of a machine of a family, in two round trips; ``asked`` is answered on the way.

    An unknown family is told by its package database, which takes one more. MachineError
    where the system or its package database cannot be read.
    """
    family = family or family_by_database(machine)
    facts, seen = _read(machine, family, asked.queries)
    return msgspec.structs.replace(facts, family=family, looked_at=asked.read(seen))


def outline(machine: LookedAt, family: str) -> Facts:
    """Only what every system has: who it is, its kernels, loader, disks and mounts.

    Package databases are left unread, so that it can be told also where one is damaged.
    """
    family = family or family_by_database(machine)
    known = family_named(family)
    if known.reading is not None and not known.tells_of_packages_alone:
        return survey(machine, family)
    facts, _ = _read_basic(machine, known.manager, (), machine.files.gather)
    facts = basic.without_packages(facts, "it was not looked at")
    return msgspec.structs.replace(facts, family=family)


def _patiently(machine: LookedAt) -> _Gather:
    """Look at a machine, and ask those once more who did not answer."""

    def gather(queries: Iterable[Query]) -> Seen:
        asked = tuple(queries)
        seen = machine.files.gather(asked)
        if again := tuple(_once_more(asked, seen)):
            seen.add(machine.files.gather(again))
        return seen

    return gather


def _once_more(asked: Iterable[Query], seen: Seen) -> Iterator[Answers]:
    """The questions whose answer nobody knows; an error is one, where errors are asked for."""
    for query in asked:
        if isinstance(query, Answers):
            silent = tuple(
                command
                for command in query.commands
                if (told := seen.answer(*command)).took_too_long
                or not (told.ok or told.is_not_there or query.with_errors)
            )
            if silent:
                changed = {"commands": silent, "seconds": _ONCE_MORE_SECONDS}
                yield msgspec.structs.replace(query, **changed)


def _read_basic(
    machine: LookedAt, manager: PackageManager, more: tuple[Query, ...], gather: _Gather
) -> tuple[Facts, Seen]:
    seen = gather((*basic.queries(manager), *more))
    if queries := basic.further(seen):
        seen.add(gather(queries))
    return basic.basic_facts(machine, seen, manager), seen


def _read(
    machine: LookedAt, family: str, more: tuple[Query, ...], gather: _Gather | None = None
) -> tuple[Facts, Seen]:
    gather = gather or machine.files.gather
    reading, manager = family_named(family).reading, family_named(family).manager
    if reading is None:
        facts, seen = _read_basic(machine, manager, more, gather)
        why = (
            f"a system of the {family} family has no package database"
            if family
            else "no package database is known here"
        )
        return basic.without_packages(facts, why), seen
    seen = gather((*basic.queries(manager), *more, *reading.queries))
    known = reading.begin(machine.name, seen)
    seen.add(gather((*basic.further(seen), *reading.further(known))))
    return reading.facts(machine, seen, known, basic.basic_facts(machine, seen, manager)), seen


def family_by_database(machine: LookedAt) -> str:
    """The family of the first package database that is there."""
    by_path = {path: family.name for family in all_families() for path in family.databases}
    found = machine.files.gather((Names(tuple(by_path)),)).found
    return next((family for path, family in by_path.items() if path in found), "")

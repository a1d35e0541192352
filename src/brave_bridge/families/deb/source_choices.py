"""The questions about the sources of a leg: those of third parties, and kinds of components."""

import re
from collections.abc import Iterable, Iterator, Mapping

from brave_bridge.core.crossing.replies import SuiteFound
from brave_bridge.core.formats.apt_sources import SourceEntry, SourceFile
from brave_bridge.core.formats.text import plain
from brave_bridge.core.packages.choices import (
    CHANNEL,
    DROP,
    FOLLOW,
    KEEP,
    PAUSE,
    SOURCE,
    Option,
    PlanChoice,
    to_suite,
)
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.releases.catalogue import Leg, Release
from brave_bridge.families.deb.leg_plan import all_entries

_MOVING = "stable"
"""A name under which many archives keep what is meant for the newest release."""


def source_name(entry: SourceEntry) -> str:
    """What names a source on every machine: its first address and suite."""
    return f"{entry.uris[0]} {entry.suites[0]}"


def other_suites(suite: str, start: Release, end: Release) -> Iterator[str]:
    """Other names under which an archive may have the release ``end``, the likely ones first."""
    names = [name for (name,) in same_suites((suite,), start, end)]
    names += [end.suite, end.codename, end.version, _MOVING]
    yield from (name for name in dict.fromkeys(names) if name and name != suite)


def same_suites(suites: tuple[str, ...], start: Release, end: Release) -> Iterator[tuple[str, ...]]:
    """What suites that name one release may be called for another one, the likely ways first."""
    pairs = ((start.suite, end.suite), (start.codename, end.codename), (start.version, end.version))
    for old, new in pairs:
        word = re.compile(rf"(?<![\w.]){re.escape(old)}(?![\w.])")
        turned = tuple(word.sub(lambda _, new=new: new, suite) for suite in suites)
        if old and new and turned != suites:
            yield turned


def source_choice(
    entry: SourceEntry, leg: Leg, turned: str, asked: Mapping[str, SuiteFound], answer: str
) -> PlanChoice:
    """What may become of a third party's source.

    ``turned`` is the suite it would go along to, ``asked`` are the suites that were looked for.
    """
    end, suite = leg.end.title, entry.suites[0]
    offered = {name: found for name, found in asked.items() if not found.fault}
    options = []
    unread = asked.get(suite)
    if turned == suite and not (unread and unread.fault):
        options.append(Option(FOLLOW, "it does not name the release and stays as it is"))
    elif turned in offered:
        options.append(Option(FOLLOW, f"it goes along to {turned}"))
    options += (
        Option(to_suite(name), f"it goes along to its suite {name}{_calls_itself(found)}")
        for name, found in offered.items()
        if name not in (suite, turned)
    )
    options.append(Option(PAUSE, f"it is commented out until it has {end}"))
    if turned != suite:
        options.append(Option(KEEP, f"it stays at {suite}: made for {leg.start.title}"))
    options.append(Option(DROP, "it is commented out for good"))
    default = FOLLOW if options[0].answer == FOLLOW else PAUSE
    lack = "" if default == FOLLOW else f", {_lack(turned, asked.get(turned))}"
    return PlanChoice(
        kind=SOURCE,
        subject=source_name(entry),
        about=plain(f"What becomes of {entry.uris[0]}{lack}?"),
        options=tuple(options),
        answer=answer or default,
        default=default,
    )


def _lack(turned: str, found: SuiteFound | None) -> str:
    """Why a source cannot go along."""
    if found is None or found.missing:
        return f"which has no {turned}"
    return f"which cannot be read now ({found.fault})"


def _calls_itself(found: SuiteFound) -> str:
    own = {found.codename, found.own_suite} - {found.suite, ""}
    return plain(f", which calls itself {' or '.join(sorted(own))}") if own else ""


def channel_choices(
    leg: Leg, files: Iterable[SourceFile], preferences: Preferences
) -> Iterator[PlanChoice]:
    """The components of which the leg's end has several kinds, where a source names one."""
    named = {word for entry in all_entries(files) for word in entry.components}
    for channel in leg.channels:
        if channel.component not in named:
            continue
        usual = next(iter(channel.choices))
        yield PlanChoice(
            kind=CHANNEL,
            subject=channel.component,
            about=f"Which kind of {channel.component} shall {leg.end.title} have?",
            options=tuple(Option(name, words) for name, words in channel.choices.items()),
            answer=preferences.channels.get(channel.component, usual),
            default=usual,
        )

"""The sources of a deb machine that wait, and what they may be called for its release by now."""

from collections.abc import Iterable, Iterator

import msgspec

from brave_bridge.core.crossing.take_up_sources import Turning, WaitingSource
from brave_bridge.core.formats.apt_sources import SourceEntry, SourceFile
from brave_bridge.core.formats.paused_sources import paused_among
from brave_bridge.core.releases.catalogue import Release, ReleaseLine
from brave_bridge.families.deb.source_choices import same_suites
from brave_bridge.families.deb.suites import description_of, suites_of


def waiting_sources(
    files: Iterable[SourceFile], line: ReleaseLine, here: Release
) -> Iterator[WaitingSource]:
    """What waits in these files, on a machine that has the release ``here``."""
    for paused in paused_among(files):
        entry = paused.entry
        turnings = tuple(_turnings(entry, line, here))
        yield WaitingSource(entry.path, entry.line, entry.uris[0], turnings)


def _turnings(entry: SourceEntry, line: ReleaseLine, here: Release) -> Iterator[Turning]:
    """Its suites with the names of other releases turned to this one's, or as they are."""
    others = (release for release in line.releases if release.key != here.key)
    turned = [suites for other in others for suites in same_suites(entry.suites, other, here)]
    for suites in dict.fromkeys(turned or [entry.suites]):
        wanted = suites_of([msgspec.structs.replace(entry, suites=suites)])
        asked = tuple(description_of(suite, suite.suite) for suite in wanted)
        yield Turning(tuple(zip(entry.suites, suites, strict=True)), asked)


class DebSources:
    """See Sources."""

    keys = ("/etc/apt/trusted.gpg", "/etc/apt/trusted.gpg.d/*.gpg", "/etc/apt/trusted.gpg.d/*.asc")
    waiting = staticmethod(waiting_sources)

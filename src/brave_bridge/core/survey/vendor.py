"""Telling the distribution's own package sources from third-party ones."""

from collections.abc import Iterable

from brave_bridge.core.formats.addresses import parts_of
from brave_bridge.core.formats.apt_sources import SourceEntry
from brave_bridge.core.survey.facts import ArchiveSeen


def is_third_party(
    entry: SourceEntry, origin: str, archive_paths: Iterable[str], seen: Iterable[ArchiveSeen]
) -> bool:
    """Whether a source is not the distribution's own.

    The Origin that its archive declares decides. Where the archive has never been read,
    the end of its path decides: mirrors differ in their hosts, not in their layout.
    """
    origins = {
        archive.origin
        for archive in seen
        if archive.uri in {uri.rstrip("/") for uri in entry.uris} and archive.suite in entry.suites
    }
    if origins and origin:
        return origin not in origins
    paths = [parts_of(uri).path.rstrip("/") for uri in entry.uris]
    return not any(path.endswith("/" + tail) for path in paths for tail in archive_paths)

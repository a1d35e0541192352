"""From the sources of a deb machine to the suites that are to be fetched."""

from collections.abc import Iterable, Iterator

import msgspec

from brave_bridge.core.crossing.requests import SuiteWanted
from brave_bridge.core.formats.apt_sources import SourceEntry, key_paths


def suites_of(entries: Iterable[SourceEntry]) -> Iterator[SuiteWanted]:
    """Every suite that the sources name, in order; of source packages only the description."""
    for entry in entries:
        is_binary = "deb" in entry.types
        signed_by = entry.options.get("signed-by", "")
        for uri in entry.uris:
            for suite in entry.suites:
                if not is_binary and suite.endswith("/"):
                    continue
                yield SuiteWanted(
                    uri=uri,
                    suite=suite,
                    components=entry.components if is_binary else (),
                    architectures=tuple(_architectures(entry)),
                    key_files=key_paths(entry),
                    key_text=_embedded(signed_by),
                    trusted=entry.trusted_without_signature,
                )


def description_of(wanted: SuiteWanted, suite: str) -> SuiteWanted:
    """Another suite of the same archive, of which only the description is wanted."""
    return msgspec.structs.replace(wanted, suite=suite, components=())


def _architectures(entry: SourceEntry) -> Iterator[str]:
    """Those that the source is limited to (sources.list(5)); none where it is not."""
    words = entry.options.get("arch") or entry.options.get("architectures") or ""
    yield from words.replace(",", " ").split()


def _embedded(signed_by: str) -> str:
    """A key that stands in the source itself; a dot stands for an empty line there."""
    if "BEGIN PGP" not in signed_by:
        return ""
    lines = (line.strip() for line in signed_by.strip().splitlines())
    return "\n".join("" if line == "." else line for line in lines) + "\n"

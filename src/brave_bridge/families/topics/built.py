"""Kernels that were built here: what each must have, and what the one that runs has of it."""

from collections.abc import Iterator

import msgspec

from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.formats.text import one_line
from brave_bridge.core.kconfig.dotconfig import LARGEST, config_text, read_config
from brave_bridge.core.kconfig.protected import Protected, unmet
from brave_bridge.core.survey.platform import BuiltKernel
from brave_bridge.machines.port import STATE_FOLDER
from brave_bridge.machines.queries import Contents, Query, Seen

_RECORDS = f"{STATE_FOLDER}/kernels/*.json"
_RUNNING = "/proc/config.gz"
_NOT_READ = "its configuration is nowhere to be read"
QUERIES: tuple[Query, ...] = (Contents((_RECORDS,), 1_000_000),)


def further(seen: Seen) -> tuple[Query, ...]:
    """The configurations of the kernels that were built here."""
    places = tuple(f"/boot/config-{release}" for release in _releases(seen))
    return (Contents((*places, _RUNNING), LARGEST),) if places else ()


def read(seen: Seen, running: str) -> tuple[BuiltKernel, ...]:
    """Each kernel that was built here, with what it must have and has not."""
    return tuple(_built(seen, release, release == running) for release in _releases(seen))


def _releases(seen: Seen) -> Iterator[str]:
    for path, _ in seen.texts(_RECORDS):
        yield one_line(path.rpartition("/")[2].removesuffix(".json"), 80)


def _built(seen: Seen, release: str, runs: bool) -> BuiltKernel:
    record = seen.contents.get(_RECORDS.replace("*", release), b"")
    try:
        protected = decode_json(record, tuple[Protected, ...])
    except msgspec.DecodeError:
        return BuiltKernel(release, 0, where="", faults=("what it must have cannot be read",))
    places = (_RUNNING, f"/boot/config-{release}") if runs else (f"/boot/config-{release}",)
    where = next((place for place in places if place in seen.contents), "")
    if not where:
        return BuiltKernel(release, len(protected), "", (_NOT_READ,))
    config = read_config(config_text(seen.contents[where]))
    faults = tuple(one_line(one.words, 200) for one in unmet(protected, config, {}))
    return BuiltKernel(release, len(protected), where, faults)

"""The indices that a machine's own package manager keeps, plain or packed.

apt keeps them packed where ``Acquire::GzipIndexes`` says so (apt.conf(5)), as container images
do.
"""

from collections.abc import Iterator

from brave_bridge.core.formats.packing import PACKED, PackingError, unpack
from brave_bridge.machines.port import Machine, MachineError

INDEX_LIMIT = 400_000_000
"""Bytes that one index may have; the largest real ones have a seventh of it."""


def own_indices(machine: Machine, stem: str) -> Iterator[tuple[str, bytes]]:
    """Each index whose name begins like ``stem`` (a pattern): its plain path, and its text.

    MachineError where one cannot be read.
    """
    plain = machine.files.matching(f"{stem}_Packages")
    yield from ((path, machine.files.read(path, INDEX_LIMIT)) for path in plain)
    for path in machine.files.matching(f"{stem}_Packages.*"):
        name, dot, kind = path.rpartition(".")
        if dot + kind in PACKED and name not in plain:
            yield name, _unpacked(machine, path, dot + kind)


def _unpacked(machine: Machine, path: str, ending: str) -> bytes:
    try:
        text = unpack(machine.files.read(path, INDEX_LIMIT), ending, INDEX_LIMIT + 1)
    except PackingError as error:
        raise MachineError(f"reading {path}", machine.name, str(error), _REMEDY) from error
    if len(text) > INDEX_LIMIT:
        raise MachineError(f"reading {path}", machine.name, f"more than {INDEX_LIMIT} bytes", "")
    return text


_REMEDY = "look for updates: the index is fetched again"

"""What a depot of image bundles offers: a signed list. docs/bundles.md has the format."""

import re

import msgspec

from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.formats.sums import SHA256
from brave_bridge.core.images.manifest import LARGEST_BUNDLE, VERSION

INDEX, SIGNATURE = "index.json", "index.json.asc"
LARGEST_INDEX = 1_000_000
SCHEMA = 1
_FILE = re.compile(r"[A-Za-z0-9_+-][A-Za-z0-9._+-]{0,120}\.bundle")


class DepotFault(ValueError):
    """The list is not what a depot has: why, in words."""


class Offered(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A bundle that a depot has: its file's name, release, serial, size in bytes and sum."""

    file: str
    version: str
    serial: int
    size: int
    sha256: str


class Depot(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """All that a depot has of one line."""

    schema: int
    line: str
    bundles: tuple[Offered, ...]

    def of(self, version: str) -> Offered | None:
        """The newest bundle of a release."""
        fitting = [one for one in self.bundles if one.version == version]
        return max(fitting, key=lambda one: one.serial, default=None)


def read_depot(content: bytes, line: str) -> Depot:
    """What a depot says that it has; DepotFault where that is none, or of another line."""
    try:
        depot = decode_json(content, Depot)
    except msgspec.DecodeError as error:
        raise DepotFault(f"it is no list of bundles: {error}") from error
    if depot.schema != SCHEMA:
        raise DepotFault(f"it is of format {depot.schema}; this program reads {SCHEMA}")
    if depot.line != line:
        raise DepotFault(f"it is of {depot.line[:80]!r}, not of {line}")
    for one in depot.bundles:
        if not (_FILE.fullmatch(one.file) and SHA256.fullmatch(one.sha256)):
            raise DepotFault(f"it names no bundle that could be there: {one.file[:80]!r}")
        if not VERSION.fullmatch(one.version) or not 0 < one.size <= LARGEST_BUNDLE:
            raise DepotFault(f"{one.file} has no version and size that could be true")
    return depot

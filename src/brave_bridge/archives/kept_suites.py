"""What was fetched for one plan: which suites, and by which sums their indices are kept."""

import msgspec

from brave_bridge.core.formats.apt_release import ArchiveRelease
from brave_bridge.core.formats.decoding import decode_json


class KeptIndex(msgspec.Struct, frozen=True):
    """One index: where it came from, what its suite says of itself, and its SHA-256."""

    uri: str
    suite: str
    component: str
    architecture: str
    sha256: str
    release: ArchiveRelease


KEPT_SUITES = "suites.json"
"""The file's name, in the folder of a leg."""


def encode_suites(indices: list[KeptIndex]) -> bytes:
    """As it is kept; the sums of files, which are many, are left out."""
    bare = [
        msgspec.structs.replace(i, release=msgspec.structs.replace(i.release, hashes={}))
        for i in indices
    ]
    return msgspec.json.encode(bare)


def decode_suites(content: bytes) -> list[KeptIndex]:
    """From what was kept; msgspec.DecodeError where it is something else."""
    return decode_json(content, list[KeptIndex])

"""The keys of sources: until when they vouch for what an archive says (OpenPGP, RFC 9580)."""

from collections.abc import Iterable

from brave_bridge.archives.signatures import certificates, end_of
from brave_bridge.core.survey.facts import KeyFile
from brave_bridge.machines.queries import Found

LARGEST_KEYS = 4_000_000
_REVOKED = "every key in it was revoked"
_UNSOUND = "its keys rest on signatures (SHA-1) that are not trusted any more"


def key_file(found: Found, content: bytes | None) -> KeyFile:
    """A file of keys, judged where its content was read."""
    known = certificates([content]) if content else []
    if not known:
        return KeyFile(found.path, found.size)
    standing = [cert for cert in known if not cert.is_revoked]
    if not standing:
        return KeyFile(found.path, found.size, fault=_REVOKED)
    ends = [end_of(cert) for cert in standing]
    sound = [end for end in ends if end is not None]
    if not sound:
        return KeyFile(found.path, found.size, fault=_UNSOUND)
    return KeyFile(found.path, found.size, ends=_last(sound))


def _last(ends: Iterable[str]) -> str:
    """The last of these days; empty where one has none."""
    days = list(ends)
    return "" if "" in days else max(days)

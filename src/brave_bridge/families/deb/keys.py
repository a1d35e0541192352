"""The keys of sources: until when they vouch for what an archive says (OpenPGP, RFC 9580)."""

from brave_bridge.archives.signatures import NEVER, certificates, end_of
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
    ends = [end for cert in standing if (end := end_of(cert)) is not None]
    if not ends:
        return KeyFile(found.path, found.size, fault=_UNSOUND)
    last = max(ends)
    return KeyFile(found.path, found.size, ends="" if last == NEVER else f"{last:%Y-%m-%d}")

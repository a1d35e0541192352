"""Who signed what an archive says of itself (OpenPGP, RFC 9580)."""

from collections.abc import Callable
from datetime import UTC, datetime

from pysequoia import Cert, Sig, verify

from brave_bridge.archives.fault import ArchiveFault

NEVER = datetime.max.replace(tzinfo=UTC)
"""The end of what does not end."""

_LARGEST_KEYRING = 4_000_000


def certificates(keyrings: list[bytes]) -> list[Cert]:
    """The certificates of keyring files, armoured or not; what is none is passed over."""
    found = []
    for content in keyrings:
        if len(content) <= _LARGEST_KEYRING:
            try:
                found += Cert.split_bytes(content)
            except Exception:
                continue
    return found


def verified(
    message: bytes,
    keyrings: list[bytes],
    detached: bytes | None = None,
    now: Callable[[], datetime] = lambda: datetime.now(UTC),
) -> tuple[bytes, tuple[str, ...]]:
    """What was signed, and nothing around it; and the fingerprints of who signed it.

    ``message`` is clear-signed, or ``detached`` holds its signatures. ArchiveFault where none
    of the keyrings' certificates has signed it that is good today: when it was signed only the
    signature says, and whoever has an old key can say what they like.
    """
    known = certificates(keyrings)
    try:
        signature = None if detached is None else Sig.from_bytes(detached)
        outcome = verify(bytes=message, store=lambda ids: known, signature=signature)
    except Exception as error:
        words = next(iter(str(error).splitlines()), "")
        raise ArchiveFault("signature", f"no key of this machine has signed it: {words}") from error
    found = tuple(str(valid.certificate) for valid in outcome.valid_sigs)
    if not found:
        raise ArchiveFault("signature", "no key of this machine has signed it")
    faults = {signer: _why_not_good(signer, known, now()) for signer in found}
    good = tuple(signer for signer in found if not faults[signer])
    if not good:
        raise ArchiveFault("signature", "; ".join(faults.values()))
    return message if detached is not None else bytes(outcome.bytes or b""), good


def _why_not_good(signer: str, known: list[Cert], now: datetime) -> str:
    """Why a certificate vouches for nothing any more; empty where it does."""
    own = [cert for cert in known if str(cert.fingerprint).casefold() == signer.casefold()]
    if any(cert.is_revoked for cert in own):
        return f"the key {signer} that signed it was revoked"
    ends = [end_of(cert) for cert in own]
    # An older copy of a certificate may be beside one whose owner has prolonged it.
    past = [end for end in ends if end is not None and end <= now]
    if own and len(past) == len(own):
        return f"the key {signer} that signed it expired on {max(past):%Y-%m-%d}"
    return ""


def end_of(cert: Cert) -> datetime | None:
    """When a certificate expires; ``NEVER`` where it does not.

    None where nothing that is trusted today binds it together, so that it has no end to tell.
    """
    try:
        return cert.expiration or NEVER
    except RuntimeError:
        return None

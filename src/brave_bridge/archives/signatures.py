"""Who signed what an archive says of itself (OpenPGP, RFC 9580)."""

from pysequoia import Cert, Sig, verify

from brave_bridge.archives.fault import ArchiveFault

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
    message: bytes, keyrings: list[bytes], detached: bytes | None = None
) -> tuple[bytes, tuple[str, ...]]:
    """What was signed, and nothing around it; and the fingerprints of who signed it.

    ``message`` is clear-signed, or ``detached`` holds its signatures. ArchiveFault where none
    of the keyrings' certificates has signed it.
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
    return message if detached is not None else bytes(outcome.bytes or b""), found

"""Keys of the made-up archives and their signatures (RFC 9580)."""

from collections.abc import Callable

from pysequoia import Cert, SignatureMode, sign


def make_key(owner: str) -> tuple[bytes, Callable[[str], str]]:
    """A fresh key: the public certificate, and a function that clear-signs a text."""
    key = Cert.generate(owner)
    if key.secrets is None:
        raise ValueError("a fresh key has no secret part")
    signer = key.secrets.signer()

    def signed(text: str) -> str:
        return sign(signer, text.encode(), mode=SignatureMode.CLEAR).decode()

    return str(key).encode(), signed


def make_detached_key(owner: str) -> tuple[bytes, Callable[[bytes], bytes]]:
    """A fresh key: the public certificate, and a function that makes a signature beside a text."""
    key = Cert.generate(owner)
    if key.secrets is None:
        raise ValueError("a fresh key has no secret part")
    signer = key.secrets.signer()

    def signed(content: bytes) -> bytes:
        return bytes(sign(signer, content, mode=SignatureMode.DETACHED))

    return str(key).encode(), signed

"""Certificates for tests, made of DER by hand: only their form and their days are real."""

import base64
from datetime import UTC, datetime, timedelta


def _der(tag: int, content: bytes) -> bytes:
    size = len(content)
    if size < 0x80:
        return bytes([tag, size]) + content
    length = size.to_bytes((size.bit_length() + 7) // 8, "big")
    return bytes([tag, 0x80 | len(length)]) + length + content


def certificate(*, days: int) -> str:
    """A certificate that ends in so many days, as PEM."""
    now = datetime.now(UTC)
    times = (now - timedelta(days=400), now + timedelta(days=days))
    validity = b"".join(_der(0x17, f"{t:%y%m%d%H%M%S}Z".encode()) for t in times)
    body = (
        _der(0xA0, _der(0x02, b"\x02"))
        + _der(0x02, b"\x01" * 9)
        + _der(0x30, _der(0x06, b"\x2a\x86\x48\x86\xf7\x0d\x01\x01\x0b") + _der(0x05, b""))
        + _der(0x30, b"")
        + _der(0x30, validity)
        + _der(0x30, b"\x00" * 200)
    )
    content = _der(0x30, _der(0x30, body) + _der(0x30, b"") + _der(0x03, b"\x00" * 33))
    text = base64.encodebytes(content).decode()
    return f"-----BEGIN CERTIFICATE-----\n{text}-----END CERTIFICATE-----\n"

"""The end of a certificate's validity, out of its PEM text (RFC 7468, RFC 5280)."""

import base64
import binascii
import re
from datetime import date

_PEM = re.compile(r"-----BEGIN CERTIFICATE-----\s+([A-Za-z0-9+/=\s]+?)-----END CERTIFICATE-----")
_SEQUENCE, _CONTEXT_0, _UTC_TIME, _GENERALIZED_TIME = 0x30, 0xA0, 0x17, 0x18


def certificate_end(text: str) -> str:
    """The ISO day on which the first certificate of a text ends; empty where there is none."""
    match = _PEM.search(text)
    if match is None:
        return ""
    try:
        return _end_of(base64.b64decode(match[1], validate=False))
    except (ValueError, IndexError, binascii.Error):
        return ""


def _end_of(content: bytes) -> str:
    """notAfter of TBSCertificate: version?, serial, signature, issuer, validity, …"""
    certificate = _inside(content, 0, _SEQUENCE)
    body = _inside(content, certificate[0], _SEQUENCE)
    at = body[0]
    if content[at] == _CONTEXT_0:
        at = _element(content, at)[1]
    for _ in range(3):
        at = _element(content, at)[1]
    validity = _inside(content, at, _SEQUENCE)
    not_after = _element(content, validity[0])[1]
    start, end = _element(content, not_after)
    digits = content[start:end].decode("ascii")
    if content[not_after] == _UTC_TIME:
        # RFC 5280, 4.1.2.5.1: 50 to 99 are of the 20th century.
        digits = ("19" if digits[:2] >= "50" else "20") + digits
    elif content[not_after] != _GENERALIZED_TIME:
        raise ValueError("no time")
    return date(int(digits[:4]), int(digits[4:6]), int(digits[6:8])).isoformat()


def _inside(content: bytes, at: int, tag: int) -> tuple[int, int]:
    if content[at] != tag:
        raise ValueError("another element")
    return _element(content, at)


def _element(content: bytes, at: int) -> tuple[int, int]:
    """Where the content of a DER element begins and ends (X.690)."""
    length, at = content[at + 1], at + 2
    if length & 0x80:
        count = length & 0x7F
        length = int.from_bytes(content[at : at + count], "big")
        at += count
    if at + length > len(content):
        raise ValueError("it is cut off")
    return at, at + length

"""What a disk says of its own health, out of the JSON of smartctl(8)."""

from typing import Any

import msgspec

from brave_bridge.core.formats.decoding import decode_json

PASSED, FAILING = "passed", "failing"


def health_of(output: str) -> str:
    """``PASSED``, ``FAILING``, or empty where the disk does not tell: it has no SMART, or sleeps.

    The answer counts whatever the command's exit code is: that is a set of bits, of which most
    speak of the disk's past.
    """
    try:
        told: Any = decode_json(output, Any)
    except msgspec.DecodeError:
        return ""
    status = told.get("smart_status") if isinstance(told, dict) else None
    passed = status.get("passed") if isinstance(status, dict) else None
    if not isinstance(passed, bool):
        return ""
    return PASSED if passed else FAILING

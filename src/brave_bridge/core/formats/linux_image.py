"""What a Linux image says that it is (Linux, Documentation/arch/x86/boot.rst, "kernel_version")."""

import struct

HEAD_BYTES = 32 * 1024
"""How much of an image holds the words, which stand in its first sectors."""

_MAGIC, _MAGIC_AT = b"HdrS", 0x202
_POINTER_AT, _FROM = 0x20E, 0x200


def version_in(head: bytes) -> str:
    """What ``uname -r`` says when the image that begins so runs; empty where it does not tell."""
    if head[_MAGIC_AT : _MAGIC_AT + 4] != _MAGIC or len(head) < _POINTER_AT + 2:
        return ""
    (pointer,) = struct.unpack_from("<H", head, _POINTER_AT)
    words = head[_FROM + pointer :].partition(b"\0")[0][:200].split()
    return words[0].decode("ascii", "replace") if pointer and words else ""

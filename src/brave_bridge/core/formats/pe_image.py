"""Whether an image that EFI can start is signed (PE/COFF, "Attribute Certificate Table")."""

import struct

_DIRECTORIES = {0x10B: 96, 0x20B: 112}
"""By the magic number of the optional header, where its table of directories begins."""

_CERTIFICATES = 4


def is_signed(head: bytes) -> bool | None:
    """Whether the image that begins so is signed; None where it is no image of this kind."""
    try:
        (header,) = struct.unpack_from("<I", head, 0x3C)
        if head[:2] != b"MZ" or head[header : header + 4] != b"PE\0\0":
            return None
        optional = header + 24
        (magic,) = struct.unpack_from("<H", head, optional)
        at = optional + _DIRECTORIES[magic] + 8 * _CERTIFICATES
        (count,) = struct.unpack_from("<I", head, optional + _DIRECTORIES[magic] - 4)
        offset, size = struct.unpack_from("<II", head, at)
    except (struct.error, KeyError):
        return None
    return bool(count > _CERTIFICATES and offset and size)

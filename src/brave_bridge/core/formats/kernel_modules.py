"""Which devices kernel modules are for: depmod's lists, and what modules say of themselves.

Follows modules.alias as depmod(8) writes it, modules.builtin.modinfo of kbuild, and the section
``.modinfo`` of an ELF file (elf(5)).
"""

import struct
from collections.abc import Iterator

Alias = tuple[str, str]
"""A shell pattern of modaliases, and the module that drives what fits it."""

_LONGEST = 1000
_SECTIONS = 4096


def module_name(stem: str) -> str:
    """What a kernel calls the module whose file is named so: with underscores for hyphens."""
    return stem.replace("-", "_")


def read_aliases(text: str) -> Iterator[Alias]:
    """The lines ``alias PATTERN MODULE`` of a modules.alias; others are passed over."""
    for line in text.splitlines():
        words = line.split()
        if len(words) == 3 and words[0] == "alias" and len(words[1]) <= _LONGEST:
            yield words[1], words[2]


def read_builtin_aliases(content: bytes) -> Iterator[Alias]:
    """The aliases of what is built into a kernel: ``MODULE.alias=PATTERN``, ended by NUL."""
    for entry in content.split(b"\0"):
        name, equals, pattern = entry.decode("utf-8", "replace").partition("=")
        if equals and name.endswith(".alias") and 0 < len(pattern) <= _LONGEST:
            yield pattern, name.removesuffix(".alias")


def aliases_of_module(content: bytes, module: str) -> Iterator[Alias]:
    """What a module file itself says that it is for; nothing where it is no module."""
    module = module_name(module)
    for entry in _modinfo(content).split(b"\0"):
        key, _, pattern = entry.decode("utf-8", "replace").partition("=")
        if key == "alias" and 0 < len(pattern) <= _LONGEST:
            yield pattern, module


def _modinfo(content: bytes) -> bytes:
    """The section ``.modinfo`` of an ELF file, of either word size and byte order."""
    if content[:4] != b"\x7fELF" or len(content) < 64:
        return b""
    wide, order = content[4] == 2, ">" if content[5] == 2 else "<"
    try:
        if wide:
            (table,) = struct.unpack_from(f"{order}Q", content, 40)
            size, count, names = struct.unpack_from(f"{order}HHH", content, 58)
            kind = f"{order}IIQQQQ"
        else:
            (table,) = struct.unpack_from(f"{order}I", content, 32)
            size, count, names = struct.unpack_from(f"{order}HHH", content, 46)
            kind = f"{order}IIIIII"
        if count > _SECTIONS:
            return b""
        rows = [struct.unpack_from(kind, content, table + size * n) for n in range(count)]
        start = rows[names][4]
        for name, _, _, _, offset, length in rows:
            if content.startswith(b".modinfo\0", start + name):
                return content[offset : offset + length]
    except (struct.error, IndexError, OverflowError):
        pass
    return b""

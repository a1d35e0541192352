"""GRUB's environment block: what the loader remembers from one boot to the next.

Always 1024 bytes, padded with ``#`` (GRUB manual, "The GRUB environment block"): the loader
writes into the very blocks of the file and can make it neither longer nor shorter.
"""

SIZE = 1024
_HEAD = b"# GRUB Environment Block\n"


class DamagedBlock(ValueError):
    """The file is no environment block; the message says why."""


def read_environment(block: bytes) -> dict[str, str]:
    """The variables of a block, in their order; DamagedBlock where the loader would refuse it."""
    if len(block) < SIZE:
        raise DamagedBlock(f"it has {len(block)} bytes, an environment block has {SIZE}")
    if not block.startswith(_HEAD):
        raise DamagedBlock("it does not begin as an environment block does")
    found: dict[str, str] = {}
    for line in _lines(block[len(_HEAD) :].decode("utf-8", "surrogateescape")):
        name, equals, value = line.partition("=")
        if equals and not name.startswith("#"):
            found[name] = value
    return found


def _lines(text: str) -> list[str]:
    """The lines with their escapes undone: ``\\\\`` is one, and before a line's end it goes on."""
    lines, line, escaped = [], "", False
    for letter in text:
        if escaped:
            line, escaped = line + letter, False
        elif letter == "\\":
            escaped = True
        elif letter == "\n":
            lines.append(line)
            line = ""
        else:
            line += letter
    return lines


def write_environment(variables: dict[str, str], before: bytes = b"") -> bytes:
    """A block with these variables; the comments of the one ``before`` stay.

    ValueError where they do not fit, or a name could not be read again.
    """
    comments = b"".join(_comments(before))
    body = b"".join(_encoded(name, value) for name, value in variables.items())
    block = _HEAD + comments + body
    if len(block) > SIZE:
        raise ValueError(f"the variables take {len(block)} of {SIZE} bytes")
    return block + b"#" * (SIZE - len(block))


def _comments(block: bytes) -> list[bytes]:
    """The lines of comment behind the head, which newer versions of the loader's tools write."""
    found: list[bytes] = []
    if block.startswith(_HEAD):
        for line in block[len(_HEAD) :].splitlines(keepends=True):
            if not line.startswith(b"#") or not line.endswith(b"\n"):
                break
            found.append(line)
    return found


def _encoded(name: str, value: str) -> bytes:
    if not name or name.startswith("#") or any(letter in name for letter in "=\\\n"):
        raise ValueError(f"no name of a variable: {name!r}")
    escaped = value.replace("\\", "\\\\").replace("\n", "\\\n")
    return f"{name}={escaped}\n".encode("utf-8", "surrogateescape")

"""What a system says of itself, in JSON: decoded, and fit to be shown."""

from typing import Any, TypeVar

import msgspec

from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.formats.text import one_line

_MOST = 4000
"""More entries no list has that a system keeps of itself."""

_Kind = TypeVar("_Kind")


def decode_told(content: bytes, kind: type[_Kind], longest: int = 300) -> _Kind:
    """JSON as a value of that kind, every text in it one line of so many characters at most.

    msgspec.DecodeError where it is none, or a list in it is longer than any system's.
    """
    return _cleaned(decode_json(content, kind), longest)


def _cleaned(value: Any, longest: int) -> Any:
    if isinstance(value, str):
        return one_line(value, longest)
    if isinstance(value, tuple):
        if len(value) > _MOST:
            raise msgspec.ValidationError(f"a list of {len(value)} entries")
        return tuple(_cleaned(one, longest) for one in value)
    if isinstance(value, msgspec.Struct):
        fields = {name: _cleaned(getattr(value, name), longest) for name in value.__struct_fields__}
        return msgspec.structs.replace(value, **fields)
    return value

"""Decoding what somebody else may have written: whatever is wrong with it is one error."""

from typing import Any, TypeVar, overload

import msgspec

_Kind = TypeVar("_Kind")

NO_TEXT_OF_THAT = (RecursionError, UnicodeError)
"""What a decoder raises beside its own error: it nests too deeply, or is no UTF-8."""


@overload
def decode_json(content: bytes | str, kind: type[_Kind]) -> _Kind: ...
@overload
def decode_json(content: bytes | str, kind: Any) -> Any: ...
def decode_json(content: bytes | str, kind: Any) -> Any:
    """JSON (RFC 8259) as a value of a kind; msgspec.DecodeError where it is none.

    That is also where it nests deeper than anybody can follow, and where it is no UTF-8.
    """
    try:
        return msgspec.json.decode(content, type=kind)
    except NO_TEXT_OF_THAT as error:
        raise msgspec.DecodeError(str(error)) from error


@overload
def decode_toml(content: bytes | str, kind: type[_Kind]) -> _Kind: ...
@overload
def decode_toml(content: bytes | str, kind: Any) -> Any: ...
def decode_toml(content: bytes | str, kind: Any) -> Any:
    """TOML (toml.io) as a value of a kind; msgspec.DecodeError where it is none, as above."""
    try:
        return msgspec.toml.decode(content, type=kind)
    except NO_TEXT_OF_THAT as error:
        raise msgspec.DecodeError(str(error)) from error


def fields_of(content: bytes | str) -> dict[str, Any]:
    """The fields of a JSON object; msgspec.DecodeError where it is none."""
    return decode_json(content, dict[str, Any])

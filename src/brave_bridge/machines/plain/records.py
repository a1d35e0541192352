"""What a file of plain Python has in place of msgspec: from Python 3.7 on.

Only what the modules that go into such files use of it. The full program uses none of this.
"""

import json
import sys
import types


class DecodeError(ValueError):
    """Text that is not what it should be."""


def _annotations(kind):
    """The annotations of a class itself, as texts."""
    return vars(kind).get("__annotations__", {})


class Struct:
    """Fields by their annotations, in order, with the defaults of the class."""

    def __init_subclass__(cls, **_words):
        super().__init_subclass__()
        cls.__struct_fields__ = tuple(
            name
            for base in reversed(cls.__mro__)
            for name, kind in _annotations(base).items()
            if not str(kind).startswith("ClassVar")
        )

    def __init__(self, *values, **named):
        fields = self.__struct_fields__
        if len(values) > len(fields) or not set(named) <= set(fields):
            raise TypeError(f"{type(self).__name__} has no such fields")
        given = dict(zip(fields, values))  # noqa: B905 - Python 3.7
        given.update(named)
        for name in fields:
            if name not in given:
                try:
                    default = getattr(type(self), name)
                except AttributeError:
                    raise TypeError(f"{type(self).__name__} needs {name}") from None
                given[name] = (
                    type(default)(default) if isinstance(default, (list, dict)) else default
                )
            setattr(self, name, given[name])

    def __eq__(self, other):
        return type(self) is type(other) and self._values() == other._values()

    def __hash__(self):
        return hash(tuple(map(str, self._values())))

    def _values(self):
        return [getattr(self, name) for name in self.__struct_fields__]


def replace(struct, **changes):
    """A struct with other values in some fields."""
    fields = {name: getattr(struct, name) for name in struct.__struct_fields__}
    fields.update(changes)
    return type(struct)(**fields)


_KINDS = {"str": str, "int": int, "bool": bool, "dict[str, str]": dict}


def _made(kind, value):
    if not isinstance(value, (list, dict)):
        raise DecodeError("it is no record")
    try:
        made = kind(*value) if isinstance(value, list) else kind(**value)
    except TypeError as error:
        raise DecodeError(str(error)) from error
    for name, annotation in _annotations(kind).items():
        wanted = _KINDS.get(str(annotation))
        if wanted and type(getattr(made, name)) is not wanted:
            raise DecodeError(f"{name} is not of its type")
    return made


def _loaded(content):
    try:
        return json.loads(content.decode() if isinstance(content, bytes) else content)
    except (ValueError, RecursionError) as error:
        raise DecodeError(str(error)) from error


class Decoder:
    """Reads records of one kind."""

    def __init__(self, kind=dict):
        self.kind = kind

    def decode(self, content):
        return _made(self.kind, _loaded(content))

    def decode_lines(self, content):
        return [self.decode(line) for line in content.splitlines() if line]


class Encoder:
    """Writes records."""

    def encode(self, value):
        return json.dumps(_plain(value)).encode()


def _plain(value):
    if isinstance(value, Struct):
        return {name: _plain(getattr(value, name)) for name in value.__struct_fields__}
    return value


def decode(content, type=dict):
    return Decoder(type).decode(content)


def encode(value):
    return Encoder().encode(value)


def install():
    """Let modules find these where they look for msgspec."""
    msgspec = types.ModuleType("msgspec")
    msgspec.Struct, msgspec.DecodeError, msgspec.ValidationError = Struct, DecodeError, DecodeError
    msgspec.json = types.SimpleNamespace(
        Decoder=Decoder, Encoder=Encoder, decode=decode, encode=encode
    )
    msgspec.structs = types.SimpleNamespace(replace=replace)
    sys.modules["msgspec"] = msgspec

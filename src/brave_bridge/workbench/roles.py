"""The roles of packages as the product knows them."""

from functools import cache
from importlib.resources import files

import msgspec

from brave_bridge.core.packages.roles import Role, Roles


@cache
def known_roles() -> Roles:
    """The roles of the data file."""

    class _File(msgspec.Struct):
        role: tuple[Role, ...]

    text = files("brave_bridge.data").joinpath("roles.toml").read_text(encoding="utf-8")
    return Roles(msgspec.toml.decode(text, type=_File).role)

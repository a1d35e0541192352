"""Credentials in addresses (RFC 3986, userinfo), hidden from all that is shown or kept."""

import re

from brave_bridge.core.formats.addresses import parts_of

HIDDEN = "hidden"
"""What stands in the place of a password, or of a name that no password follows."""

_USERINFO = re.compile(r"([A-Za-z][A-Za-z0-9+.-]*://)([^\s/@:\"']*)(:[^\s/@\"']*)?@")
_ADDRESS = re.compile(r"[A-Za-z][A-Za-z0-9+.-]*://[^\s/@\"']+@[^\s\"'\]]*")


def hide(text: str) -> str:
    """A text without the credentials of the addresses in it."""
    return _USERINFO.sub(_hidden, text)


def _hidden(found: re.Match) -> str:
    scheme, name, password = found.groups()
    return f"{scheme}{name}:{HIDDEN}@" if password else f"{scheme}{HIDDEN}@"


def addresses_with_credentials(text: str) -> list[str]:
    """The addresses in a text that name or password stand in."""
    return _ADDRESS.findall(text)


def is_hidden(address: str) -> bool:
    """Whether the credentials of an address were taken out."""
    userinfo = parts_of(address).userinfo
    return userinfo == HIDDEN or userinfo.endswith(f":{HIDDEN}")


def revealed(text: str, known: list[str]) -> str:
    """A text with the credentials of its addresses again, from addresses that are known.

    ValueError where one is not known.
    """
    return _ADDRESS.sub(lambda found: _revealed(found.group(), known), text)


def _revealed(address: str, known: list[str]) -> str:
    if not is_hidden(address):
        return address
    alike = [real for real in known if _place(hide(real)) == _place(address)]
    if not alike:
        raise ValueError(f"the password of {address} is not known")
    nearest = max(alike, key=lambda real: _common(real.rpartition("@")[2], address))
    userinfo = parts_of(nearest).userinfo
    scheme, _, rest = address.partition("://")
    return f"{scheme}://{userinfo}@{rest.partition('@')[2]}"


def _place(address: str) -> tuple[str, str]:
    parts = parts_of(address)
    return parts.scheme, parts.authority.lower()


def _common(rest: str, address: str) -> int:
    other = address.rpartition("@")[2]
    return next(
        (n for n, pair in enumerate(zip(rest, other, strict=False)) if pair[0] != pair[1]),
        min(len(rest), len(other)),
    )

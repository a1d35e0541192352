"""The parts of an address, whatever a file has in its place (RFC 3986, appendix B)."""

import re
from typing import NamedTuple

_PARTS = re.compile(r"^(?:([^:/?#]+):)?(?://([^/?#]*))?([^?#]*)")
_PORT = re.compile(r":[0-9]*$")


class Address(NamedTuple):
    """The parts of an address; each is empty where it has none. Nothing is decoded."""

    scheme: str
    authority: str
    """Who is asked: ``user:password@host:port``."""

    path: str

    @property
    def userinfo(self) -> str:
        """Name and password."""
        return self.authority.rpartition("@")[0]

    @property
    def place(self) -> str:
        """Host and port."""
        return self.authority.rpartition("@")[2]

    @property
    def host(self) -> str:
        """The host alone, in small letters."""
        return _PORT.sub("", self.place).strip("[]").lower()


def parts_of(address: str) -> Address:
    """The parts of an address; also of what is none, which whoever fetches refuses."""
    scheme, authority, path = _PARTS.match(address).groups("")  # type: ignore[union-attr]
    return Address(scheme.lower(), authority, path)

"""Getting files of archives: over HTTP(S), resumable and conditional, or from a folder."""

import contextlib
import fcntl
import hashlib
import os
import re
import time
from collections.abc import Callable, Iterator, Mapping
from typing import BinaryIO, TypeVar
from urllib.parse import unquote
from urllib.request import getproxies_environment, proxy_bypass_environment

import httpx
import msgspec

from brave_bridge.archives.fault import ArchiveFault
from brave_bridge.archives.link_meter import LinkMeter
from brave_bridge.archives.mirrors import MirrorLists
from brave_bridge.core.formats.addresses import parts_of
from brave_bridge.core.formats.hidden import hide
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.port import Files, MachineError

_Result = TypeVar("_Result")

_TIMEOUT = httpx.Timeout(30, connect=15)
_TOR = "tor+"
_OPTIONS = {
    "timeout": _TIMEOUT,
    "follow_redirects": True,
    "headers": {"User-Agent": "brave-bridge"},
}
_FILE = re.compile(r"^(?:file|copy):/*")

SLOW_SECONDS, LEAST_BYTES_A_SECOND = 60.0, 500
"""Whoever gives less than that for so long is given up."""

MOST_SECONDS = 4 * 3600.0
"""How long one file may take altogether."""


class Got(msgspec.Struct, frozen=True):
    """A file as the archive has it, and by what it can be asked again whether it changed."""

    content: bytes
    etag: str = ""
    modified: str = ""


class Downloader:
    """Gets files. ``files`` are what a machine's own ``file:`` addresses name.

    ``transport`` takes the place of the network, for archives that are served otherwise;
    ``proxies`` maps the beginning of an address (``http://host``) to the proxy to ask, None for
    none, ``onion_proxy`` is the SOCKS proxy that ``tor+http:`` addresses go through; ``login``
    gives the name and password for an address. What was cut off is kept in ``partial`` and
    gone on with.
    """

    def __init__(
        self,
        files: Files,
        partial: Beneath,
        transport: httpx.BaseTransport | None = None,
        proxies: Mapping[str, str | None] | None = None,
        onion_proxy: str = "",
        login: Callable[[str], tuple[str, str] | None] = lambda address: None,
    ) -> None:
        self._files = files
        self._partial = partial
        self._login = login
        mounts = {
            beginning: httpx.HTTPTransport(proxy=proxy)
            for beginning, proxy in (proxies or {}).items()
        }
        self._proxies = {} if transport else dict(proxies or {})
        self._client = httpx.Client(transport=transport, mounts=mounts, **_OPTIONS)
        self._onion_proxy = onion_proxy
        self._onions: httpx.Client | None = None
        self.meter = LinkMeter()
        self._mirrors = MirrorLists(lambda address, limit: self._get(address, limit).content)

    def close(self) -> None:
        """Let go of connections."""
        self._client.close()
        if self._onions is not None:
            self._onions.close()

    def get(self, address: str, limit: int, known: Got | None = None) -> Got | None:
        """A file of at most ``limit`` bytes; None where it is what is ``known`` already.

        ArchiveFault where it is missing, too large, or cannot be reached.
        """
        return self._from_any(address, lambda place: self._get(place, limit, known))

    def _from_any(self, address: str, get: Callable[[str], _Result]) -> _Result:
        """What is got from the first place that gives it; the fault of the last where none does."""
        *others, last = self._mirrors.places(address)
        for place in others:
            with contextlib.suppress(ArchiveFault):
                return get(place)
        return get(last)

    def _get(self, address: str, limit: int, known: Got | None = None) -> Got | None:
        if _FILE.match(address):
            return Got(self._read(address, limit))
        headers = {}
        if known is not None:
            headers = {"If-None-Match": known.etag, "If-Modified-Since": known.modified}
        headers = {name: value for name, value in headers.items() if value}
        with self._explained(address), self._asked(address, headers) as got:
            if got.status_code == httpx.codes.NOT_MODIFIED:
                return None
            _check_status(got)
            content = bytearray()
            for piece in self._received(address, got.iter_bytes()):
                content += piece
                if len(content) > limit:
                    raise ArchiveFault("size", f"is longer than {limit} bytes", address)
            answer = got.headers
        return Got(bytes(content), answer.get("etag", ""), answer.get("last-modified", ""))

    def get_exactly(self, address: str, sha256: str, size: int) -> bytes:
        """A file of that sum and size; what an earlier try got of it is not got again."""
        return self._from_any(address, lambda place: self._get_exactly(place, sha256, size))

    def _get_exactly(self, address: str, sha256: str, size: int) -> bytes:
        if _FILE.match(address):
            return _checked(self._read(address, size), sha256, size, address)
        self._partial.make_folder()
        part = self._partial / f"{sha256}.part"
        with self._explained(address):
            content = self._go_on(address, part, size)
        try:
            return _checked(content, sha256, size, address)
        finally:
            part.remove()

    def save(self, address: str, sha256: str, size: int, place: Beneath) -> None:
        """Put a file of that sum and size at a place here, however large; see ``get_exactly``.

        What an earlier try got stands beside it, as a part, and is gone on with.
        """
        part = place.beside(f"{place.name}.{sha256[:16]}.part")
        with self._explained(address):
            place.above.make_folder(0o755)
            with part.opened_to_change() as stream:
                self._complete(address, stream, size)
                stream.flush()
                if (have := stream.seek(0, os.SEEK_END)) != size:
                    words = f"ended after {have} of {size} bytes"
                    raise ArchiveFault("unreachable", words, address)
                stream.seek(0)
                seen = hashlib.file_digest(stream, "sha256").hexdigest()
                os.fsync(stream.fileno())
            if seen != sha256:
                part.remove()
                raise ArchiveFault("checksum", "is not the file that was signed for", address)
            part.move_to(place)

    def _go_on(self, address: str, part: Beneath, size: int) -> bytes:
        """Get the rest of a file into its part, and all of it."""
        with part.opened_to_change() as stream:
            self._complete(address, stream, size)
            stream.seek(0)
            return stream.read()

    def _complete(self, address: str, stream: BinaryIO, size: int) -> None:
        """Get what a part lacks of a file; one at a time works on a part."""
        fcntl.flock(stream, fcntl.LOCK_EX)
        have = stream.seek(0, os.SEEK_END)
        if have > size:
            have = stream.truncate(0)
        if have < size:
            self._append(address, stream, have, size)

    def _append(self, address: str, stream: BinaryIO, have: int, size: int) -> None:
        headers = {"Accept-Encoding": "identity"}
        if have:
            headers["Range"] = f"bytes={have}-"
        with self._asked(address, headers) as got:
            _check_status(got)
            if got.status_code != httpx.codes.PARTIAL_CONTENT:
                have = stream.truncate(0)
            for piece in self._received(address, got.iter_raw()):
                have += len(piece)
                if have > size:
                    stream.truncate(0)
                    raise ArchiveFault("size", f"is longer than {size} bytes", address)
                stream.write(piece)

    def _received(self, address: str, pieces: Iterator[bytes]) -> Iterator[bytes]:
        """The pieces as they come, counted; ArchiveFault where too little comes."""
        pace = _Pace(address)
        with self.meter.receiving():
            for piece in pieces:
                pace.saw(len(piece))
                self.meter.saw(len(piece))
                yield piece

    def _asked(self, address: str, headers: dict[str, str]):
        login = self._login(address)
        if login:
            # What stands in the address itself may be hidden there.
            scheme, _, rest = address.partition("://")
            host, slash, path = rest.partition("/")
            address = f"{scheme}://{host.rpartition('@')[2]}{slash}{path}"
        client = self._client
        if address.startswith(_TOR):
            client, address = self._onion_client(), address.removeprefix(_TOR)
        if not address.startswith(("http://", "https://")):
            kind = address.partition(":")[0]
            words = f"is of a kind that is not fetched here ({kind}:)"
            raise ArchiveFault("unreachable", words, address)
        return client.stream("GET", address, headers=headers, auth=login)

    def _onion_client(self) -> httpx.Client:
        """What asks by way of a Tor client (torsocks(1)); ValueError where its address is none."""
        if self._onions is None:
            proxy = self._onion_proxy or None
            self._onions = httpx.Client(proxy=proxy, trust_env=False, **_OPTIONS)
        return self._onions

    def _read(self, address: str, limit: int) -> bytes:
        path = unquote(parts_of("file:/" + _FILE.sub("", address)).path)
        if not self._files.is_file(path):
            raise ArchiveFault("missing", "is not there", address)
        try:
            return self._files.read(path, limit)
        except MachineError as error:
            what = "size" if error.seen.startswith("longer than") else "unreachable"
            words = f"is {error.seen}" if what == "size" else error.seen
            raise ArchiveFault(what, words, address) from error

    @contextlib.contextmanager
    def _explained(self, address: str):
        try:
            yield
        except httpx.HTTPStatusError as error:
            code = error.response.status_code
            what = "missing" if code in (404, 410) else "unreachable"
            words = f"the server answers {code}{self._by_way_of(address)}"
            raise ArchiveFault(what, words, address) from error
        except (httpx.HTTPError, httpx.InvalidURL, ValueError) as error:
            words = str(error) or type(error).__name__
            words += self._by_way_of(address)
            raise ArchiveFault("unreachable", words, address) from error
        except OSError as error:
            words = f"{error.strerror or error}{self._by_way_of(address)}"
            raise ArchiveFault("unreachable", words, address) from error

    def _by_way_of(self, address: str) -> str:
        """Whom an address is asked of in place of its server, in words; empty where of nobody."""
        if address.startswith(_TOR):
            return f", asked by way of the Tor client at {hide(self._onion_proxy)}"
        parts = parts_of(address)
        places = (f"{parts.scheme}://{parts.host}", f"{parts.scheme}://")
        if (set_for := next((one for one in places if one in self._proxies), "")) != "":
            proxy = self._proxies[set_for]
            return f", asked by way of the proxy {hide(proxy)} (apt's settings)" if proxy else ""
        proxy = getproxies_environment().get(parts.scheme, "")
        if not proxy or proxy_bypass_environment(parts.host):
            return ""
        return f", asked by way of the proxy {hide(proxy)} (environment)"


class _Pace:
    """Ends what would never end: a server that goes on giving, and next to nothing."""

    def __init__(self, address: str) -> None:
        self._address = address
        self._began = self._since = time.monotonic()
        self._got = 0

    def saw(self, length: int) -> None:
        """Told of every piece; ArchiveFault where too little comes, or it takes too long."""
        now = time.monotonic()
        self._got += length
        if now - self._since > SLOW_SECONDS:
            if self._got < LEAST_BYTES_A_SECOND * (now - self._since):
                words = f"gave {self._got} bytes in {now - self._since:.0f} seconds"
                raise ArchiveFault("unreachable", words, self._address)
            self._since, self._got = now, 0
        if now - self._began > MOST_SECONDS:
            words = f"was not done after {MOST_SECONDS:.0f} seconds"
            raise ArchiveFault("unreachable", words, self._address)


def _check_status(got: httpx.Response) -> None:
    if got.status_code >= httpx.codes.BAD_REQUEST:
        raise httpx.HTTPStatusError("", request=got.request, response=got)


def _checked(content: bytes, sha256: str, size: int, address: str) -> bytes:
    if len(content) != size:
        raise ArchiveFault("size", f"has {len(content)} bytes instead of {size}", address)
    if hashlib.sha256(content).hexdigest() != sha256:
        raise ArchiveFault("checksum", "is not the file that was signed for", address)
    return content

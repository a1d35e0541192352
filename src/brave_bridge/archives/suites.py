"""Fetching what the suites of archives offer: described, signed, in date, and whole.

Nothing is written to a machine. Indices go to the person's own store, several at a time;
what is there already by its sum is not fetched again.
"""

import contextlib
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from email.utils import parsedate_to_datetime
from hashlib import sha256

import msgspec

from brave_bridge.archives.download import Downloader, Got
from brave_bridge.archives.fault import ArchiveFault
from brave_bridge.archives.signatures import verified
from brave_bridge.archives.store import IndexStore
from brave_bridge.archives.unpacking import ENDINGS, unpacked
from brave_bridge.core.formats.apt_release import ArchiveRelease, read_archive_release
from brave_bridge.core.formats.deb822 import FormatError
from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.formats.packages.deb_package import ALL
from brave_bridge.core.formats.packing import PackingError, unpack
from brave_bridge.machines.opening.beneath import Beneath

DESCRIPTION_LIMIT = 16_000_000
INDEX_LIMIT = 1_500_000_000
_LARGEST_SEEN = 64_000
_AT_A_TIME = 4
_CLOCKS_DIFFER = timedelta(hours=24)


class SuiteAsked(msgspec.Struct, frozen=True, kw_only=True):
    """A suite of an archive, and what is wanted of it.

    ``keyrings`` are contents of key files; ``trusted``: signatures are switched off for it.
    """

    uri: str
    suite: str
    components: tuple[str, ...] = ()
    architectures: tuple[str, ...] = ()
    keyrings: tuple[bytes, ...] = ()
    trusted: bool = False


class SuiteFetched(msgspec.Struct, frozen=True, kw_only=True):
    """What a suite says of itself, and its indices by component and architecture (SHA-256)."""

    asked: SuiteAsked
    release: ArchiveRelease
    signers: tuple[str, ...]
    indices: dict[tuple[str, str], str]


class _Seen(msgspec.Struct):
    """What was fetched of a suite last, so that it can be asked whether it changed."""

    date: str = ""
    etag: str = ""
    modified: str = ""


class SuiteFetcher:
    """Fetches suites into a store."""

    def __init__(
        self,
        store: IndexStore,
        downloader: Downloader,
        now: Callable[[], datetime] = lambda: datetime.now(UTC),
    ) -> None:
        self.store = store
        self.downloader = downloader
        self.now = now

    def fetch(
        self, suites: Iterable[SuiteAsked], tell: Callable[[str], None] = lambda words: None
    ) -> list[SuiteFetched | ArchiveFault]:
        """Each suite fetched, or why it could not be, in the order asked for."""

        def one(asked: SuiteAsked) -> SuiteFetched | ArchiveFault:
            try:
                return self._fetch(asked, tell)
            except ArchiveFault as fault:
                return fault

        with ThreadPoolExecutor(_AT_A_TIME) as workers:
            return list(workers.map(one, suites))

    def _fetch(self, asked: SuiteAsked, tell: Callable[[str], None]) -> SuiteFetched:
        base = f"{asked.uri.rstrip('/')}/dists/{asked.suite}"
        if asked.suite.endswith("/"):
            base = f"{asked.uri.rstrip('/')}/{asked.suite.rstrip('/')}"
        try:
            text, signers = self._description(base, asked)
        except ArchiveFault as fault:
            if fault.what != "missing" or not (asked.trusted and asked.suite.endswith("/")):
                raise
            return self._undescribed(base, asked)
        try:
            release = read_archive_release(text.decode("utf-8", "replace"), where=base)
        except FormatError as error:
            raise ArchiveFault("format", str(error), base) from error
        self._judge(release, asked, base)
        indices = {}
        for component, architecture, name in _names(asked, release):
            tell(f"{asked.suite} {component} {architecture}")
            if found := self._index(base, release, name):
                indices[component, architecture] = found
        self._remember(base, release)
        return SuiteFetched(asked=asked, release=release, signers=signers, indices=indices)

    def _undescribed(self, base: str, asked: SuiteAsked) -> SuiteFetched:
        """One folder of packages that nobody describes, which a person chose to trust.

        apt takes those too (``[trusted=yes]``, sources.list(5)).
        """
        for ending in ENDINGS:
            try:
                content = self.downloader.get(f"{base}/Packages{ending}", INDEX_LIMIT)
            except ArchiveFault as fault:
                if fault.what != "missing":
                    raise
                continue
            try:
                plain = unpack(content.content if content else b"", ending, INDEX_LIMIT)
            except PackingError as error:
                raise ArchiveFault("format", str(error), base) from error
            indices = {("", ""): self.store.keep(plain)}
            release = ArchiveRelease("", "", "", "", "", "", (), (), {})
            return SuiteFetched(asked=asked, release=release, signers=(), indices=indices)
        raise ArchiveFault("missing", "has neither a description nor packages", base)

    # What it says of itself

    def _description(self, base: str, asked: SuiteAsked) -> tuple[bytes, tuple[str, ...]]:
        """The text that the archive's key signed, and who signed it.

        What was kept and does not verify is fetched anew: the fault may be the store's.
        """
        try:
            return self._verified(base, asked)
        except ArchiveFault as fault:
            if fault.what != "signature":
                raise
        for name in ("InRelease", "Release", "Release.gpg"):
            self._kept(f"{base}/{name}").remove()
        return self._verified(base, asked)

    def _verified(self, base: str, asked: SuiteAsked) -> tuple[bytes, tuple[str, ...]]:
        try:
            message = self._got(f"{base}/InRelease")
            detached = None
        except ArchiveFault as fault:
            if fault.what != "missing":
                raise
            message = self._got(f"{base}/Release")
            detached = None if asked.trusted else self._signature(base)
        if asked.trusted:
            return message, ()
        try:
            return verified(message, list(asked.keyrings), detached, self.now)
        except ArchiveFault as fault:
            raise ArchiveFault(fault.what, fault.seen, base) from fault

    def _signature(self, base: str) -> bytes:
        try:
            return self._got(f"{base}/Release.gpg")
        except ArchiveFault as fault:
            if fault.what != "missing":
                raise
            raise ArchiveFault("signature", "nobody has signed it", base) from fault

    def _got(self, address: str) -> bytes:
        """A description, fetched only where it changed since it was fetched last."""
        name, kept = _name(address), self._kept(address)
        seen, content = self._seen(name), None
        with contextlib.suppress(OSError):
            content = kept.read(DESCRIPTION_LIMIT)
        known = Got(b"", seen.etag, seen.modified) if content is not None else None
        got = self.downloader.get(address, DESCRIPTION_LIMIT, known)
        if got is None:
            return content or b""
        self.store.write(kept, got.content)
        seen.etag, seen.modified = got.etag, got.modified
        self.store.write(self.store.folder / f"{name}.seen", msgspec.json.encode(seen))
        return got.content

    def _kept(self, address: str) -> Beneath:
        return self.store.folder / f"{_name(address)}.description"

    def _judge(self, release: ArchiveRelease, asked: SuiteAsked, base: str) -> None:
        """Whether it is in date, no older than one seen before, and the suite asked for."""
        now = self.now()
        until, made = _moment(release.valid_until), _moment(release.date)
        if until is not None and until < now:
            raise ArchiveFault("expired", f"its description was good until {until:%Y-%m-%d}", base)
        if made is not None and made > now + _CLOCKS_DIFFER:
            raise ArchiveFault("expired", f"it is dated {made:%Y-%m-%d}, which is to come", base)
        before = _moment(self._seen(_name(base)).date)
        if before is not None and made is not None and made < before:
            raise ArchiveFault(
                "older",
                f"it is of {made:%Y-%m-%d %H:%M}, one of {before:%Y-%m-%d %H:%M} was seen before",
                base,
            )
        names = {release.suite, release.codename}
        own = asked.suite.rstrip("/")
        if own and not asked.suite.endswith("/") and not names & {own, own.rpartition("/")[2]}:
            raise ArchiveFault("identity", f"it calls itself {' or '.join(sorted(names))}", base)

    def _remember(self, base: str, release: ArchiveRelease) -> None:
        seen = msgspec.json.encode(_Seen(date=release.date))
        self.store.write(self.store.folder / f"{_name(base)}.seen", seen)

    def _seen(self, name: str) -> _Seen:
        try:
            content = (self.store.folder / f"{name}.seen").read(_LARGEST_SEEN)
            return decode_json(content, _Seen)
        except (OSError, msgspec.DecodeError):
            return _Seen()

    # Its indices

    def _index(self, base: str, release: ArchiveRelease, name: str) -> str:
        """The sum of an index that is in the store now; empty where the suite has none."""
        if name not in release.hashes:
            return ""
        digest, size = release.hashes[name]
        if self.store.has(digest):
            return digest
        if size > INDEX_LIMIT:
            raise ArchiveFault("size", f"{name} would have {size} bytes", base)
        ending = next((e for e in ENDINGS if name + e in release.hashes), "")
        packed, length = release.hashes[name + ending]
        if not size:
            return self.store.keep(b"")
        content = self._packed(base, release, name + ending, packed, length)
        try:
            plain = unpacked(content, ending, size)
        except ArchiveFault as fault:
            raise ArchiveFault(fault.what, f"{name}{ending} {fault.seen}", base) from fault
        if sha256(plain).hexdigest() != digest:
            raise ArchiveFault("checksum", f"{name} is not the file that was signed for", base)
        return self.store.keep(plain)

    def _packed(
        self, base: str, release: ArchiveRelease, name: str, digest: str, size: int
    ) -> bytes:
        if release.by_hash:
            folder = name.rpartition("/")[0]
            with contextlib.suppress(ArchiveFault):
                address = f"{base}/{folder}/by-hash/SHA256/{digest}"
                return self.downloader.get_exactly(address, digest, size)
        return self.downloader.get_exactly(f"{base}/{name}", digest, size)


def _names(asked: SuiteAsked, release: ArchiveRelease) -> Iterator[tuple[str, str, str]]:
    """The indices that are wanted of a suite: component, architecture, and file name.

    A suite without components is one folder (sources.list(5)). Packages for every architecture
    may stand in an index of their own.
    """
    if asked.suite.endswith("/"):
        yield "", "", "Packages"
        return
    apart = (ALL,) if ALL in release.architectures and not release.all_within_others else ()
    for component in asked.components:
        for architecture in (*asked.architectures, *apart):
            yield component, architecture, f"{component}/binary-{architecture}/Packages"


def _name(base: str) -> str:
    return sha256(base.encode()).hexdigest()


def _moment(text: str) -> datetime | None:
    """A date of a description (RFC 5322); None where it is none."""
    try:
        moment = parsedate_to_datetime(text.replace("UTC", "+0000"))
    except (ValueError, TypeError):
        return None
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)

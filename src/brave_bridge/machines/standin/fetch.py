"""The stand-in's archives: fetching indices and packages, and checking who signed them."""

import hashlib
import re
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from pathlib import Path

import msgspec

from brave_bridge.core.formats.apt_release import ArchiveRelease, read_archive_release
from brave_bridge.core.formats.apt_sources import SourceEntry, SourceFile, entries, index_stem
from brave_bridge.core.formats.deb822 import stanzas
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.port import Machine, MachineError

SETTINGS = "/var/lib/brave-bridge/stand-in.json"


class Settings(msgspec.Struct):
    """What a stand-in knows of its made-up world.

    ``archives`` maps the beginning of a source's URI to a folder here; ``pace_seconds``
    is how long it takes over each package, so that a person can watch.
    """

    archives: dict[str, str] = {}
    pace_seconds: float = 0.0


def read_settings(machine: Machine) -> Settings:
    """The stand-in's settings; those of a plain one where it has none. MachineError."""
    content = machine.files.read_if_there(SETTINGS, 100_000)
    try:
        return msgspec.json.decode(content, type=Settings) if content else Settings()
    except msgspec.DecodeError as error:
        seen, remedy = f"it is damaged: {error}", "brave-bridge demo --fresh builds it anew"
        raise MachineError(f"reading {SETTINGS}", machine.name, seen, remedy) from error


class FetchFault(Exception):
    """A file could not be fetched or did not hold what it must."""

    def __init__(self, status: str, message: str) -> None:
        super().__init__(message)
        self.status = status
        self.message = message


class Archives:
    """The archives that the sources of one apt configuration name."""

    def __init__(self, machine: FolderMachine, lists: str, list_path: str, parts: str) -> None:
        self.machine = machine
        self.settings = read_settings(machine)
        self.lists = lists
        paths = [
            list_path,
            *machine.files.matching(f"{parts}/*.list"),
            *machine.files.matching(f"{parts}/*.sources"),
        ]
        self.entries: list[SourceEntry] = []
        for path in paths:
            content = machine.files.read_if_there(path, 1_000_000)
            if content is not None:
                self.entries += entries(SourceFile(path, content.decode("utf-8", "replace")))

    def suites(self) -> list[tuple[SourceEntry, str, str]]:
        """Each (entry, URI, suite) in order."""
        return [(e, uri, suite) for e in self.entries for uri in e.uris for suite in e.suites]

    def _folder(self, uri: str) -> Path:
        if uri.startswith("file:"):
            return self.machine.files.place(re.sub(r"^file:/+", "/", uri))
        uri = re.sub(r"://[^/@]*@", "://", uri)
        for beginning, folder in self.settings.archives.items():
            if uri.startswith(beginning):
                return Path(folder) / uri[len(beginning) :].lstrip("/")
        raise FetchFault("Err", "Could not resolve host")

    def refresh_suite(self, entry: SourceEntry, uri: str, suite: str) -> None:
        """Fetch a suite's description and index; FetchFault where either is not good."""
        folder = self._folder(uri)
        described = folder / "dists" / suite / "InRelease"
        if not described.is_file():
            raise FetchFault(
                "404", f"The repository '{uri} {suite} Release' does not have a Release file."
            )
        message = described.read_bytes()
        release = self._verified(entry, uri, suite, message)
        stem = f"{self.lists}/{index_stem(uri, suite)}"
        indices = []
        for component in entry.components:
            name = f"{component}/binary-amd64/Packages"
            path = folder / "dists" / suite / name
            if name not in release.hashes or not path.is_file():
                continue
            content = path.read_bytes()
            digest, size = release.hashes[name]
            if len(content) != size or hashlib.sha256(content).hexdigest() != digest:
                raise FetchFault(
                    "Err", f"Failed to fetch {uri}/dists/{suite}/{name}  Hash Sum mismatch"
                )
            indices.append((f"{stem}{name.replace('/', '_')}", content))
        self.machine.files.write(stem + "InRelease", message)
        for place, content in indices:
            self.machine.files.write(place, content)

    def _verified(self, entry: SourceEntry, uri: str, suite: str, message: bytes) -> ArchiveRelease:
        where = f"{uri} {suite} InRelease"
        if not entry.trusted_without_signature and not self._is_signed(entry, message):
            raise FetchFault(
                "GPG",
                f"GPG error: {where}: The following signatures couldn't be "
                "verified because the public key is not available",
            )
        release = read_archive_release(message.decode(), where=where)
        if release.valid_until:
            until = parsedate_to_datetime(release.valid_until.replace("UTC", "+0000"))
            if until < datetime.now(UTC):
                raise FetchFault(
                    "Expired",
                    f"Release file for {uri}/dists/{suite}/InRelease is "
                    "expired. Updates for this repository will not be applied.",
                )
        return release

    def _is_signed(self, entry: SourceEntry, message: bytes) -> bool:
        from pysequoia import Cert, verify

        keys = self._keys(entry)
        certificates = [c for content in keys for c in Cert.split_bytes(content)]
        try:
            return bool(verify(bytes=message, store=lambda ids: certificates).valid_sigs)
        except Exception:
            return False

    def _keys(self, entry: SourceEntry) -> list[bytes]:
        signed_by = entry.options.get("signed-by")
        paths = (
            [signed_by]
            if signed_by
            else [
                *self.machine.files.matching("/etc/apt/trusted.gpg.d/*.asc"),
                *self.machine.files.matching("/etc/apt/trusted.gpg.d/*.gpg"),
            ]
        )
        found = [self.machine.files.read_if_there(path, 1_000_000) for path in paths]
        return [content for content in found if content]

    def offered(self) -> list[dict[str, str]]:
        """The stanzas of all fetched indices, each with the folder of its archive."""
        found = []
        for entry, uri, suite in self.suites():
            stem = f"{self.lists}/{index_stem(uri, suite)}"
            for component in entry.components:
                path = f"{stem}{component}_binary-amd64_Packages"
                content = self.machine.files.read_if_there(path, 400_000_000)
                for stanza in stanzas((content or b"").decode(), where=path):
                    found.append({**stanza, "X-Archive": uri})
        return found

    def package(self, stanza: dict[str, str]) -> bytes:
        """The bytes of an offered package, its checksum checked."""
        path = self._folder(stanza["X-Archive"]) / stanza["Filename"]
        try:
            content = path.read_bytes()
        except OSError:
            raise FetchFault(
                "404", f"Failed to fetch {stanza['X-Archive']}/{stanza['Filename']}  404  Not Found"
            ) from None
        if hashlib.sha256(content).hexdigest() != stanza["SHA256"]:
            raise FetchFault(
                "Err",
                f"Failed to fetch {stanza['X-Archive']}/{stanza['Filename']}  Hash Sum mismatch",
            )
        return content

    def drop_stale(self) -> None:
        """Remove the indices of suites that no source names any more."""
        stems = {index_stem(uri, suite) for _, uri, suite in self.suites()}
        for path in self.machine.files.matching(f"{self.lists}/*_dists_*"):
            if not any(path.rpartition("/")[2].startswith(stem) for stem in stems):
                self.machine.files.remove(path)

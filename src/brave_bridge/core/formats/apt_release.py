"""The signed description of a package archive's suite (a Release or InRelease file)."""

import msgspec

from brave_bridge.core.formats.deb822 import FormatError, stanzas

_SIGNED = "-----BEGIN PGP SIGNED MESSAGE-----"
_SIGNATURE = "-----BEGIN PGP SIGNATURE-----"


class ArchiveRelease(msgspec.Struct, frozen=True):
    """What an archive says of one suite. Dates are RFC 2822 text as written there."""

    origin: str
    suite: str
    codename: str
    version: str
    date: str
    valid_until: str
    components: tuple[str, ...]
    architectures: tuple[str, ...]
    hashes: dict[str, tuple[str, int]]
    """Index file name (``main/binary-amd64/Packages``) to SHA-256 and size in bytes."""

    digests: tuple[str, ...] = ()
    """The kinds of sums that it lists: ``MD5Sum``, ``SHA1``, ``SHA256``, ``SHA512``."""

    only_on_request: bool = False
    """Whether its versions are taken only where they are asked for (NotAutomatic)."""

    upgrades_by_itself: bool = False
    """Whether what was asked for from it is upgraded from it (ButAutomaticUpgrades)."""

    label: str = ""

    by_hash: bool = False
    """Whether its indices can be asked for by their sums (Acquire-By-Hash)."""

    all_within_others: bool = False
    """Whether packages for every architecture stand in the indices of each one as well."""


def signed_text(text: str) -> str:
    """The text inside a clear-signed message (RFC 9580, 7), or the text itself."""
    if _SIGNED not in text:
        return text
    body = text.split(_SIGNED, 1)[1].split(_SIGNATURE, 1)[0]
    _, _, body = body.partition("\n\n")
    return "\n".join(line[2:] if line.startswith("- ") else line for line in body.split("\n"))


def read_archive_release(text: str, *, where: str = "") -> ArchiveRelease:
    """Read it, signed or not; FormatError where it is no such file."""
    first = next(stanzas(signed_text(text).strip(), where=where), None)
    if first is None or not ({"Suite", "Codename"} & first.keys()):
        raise FormatError(f"{where}: names neither a suite nor a codename")
    return ArchiveRelease(
        origin=first.get("Origin", ""),
        suite=first.get("Suite", ""),
        codename=first.get("Codename", ""),
        version=first.get("Version", ""),
        date=first.get("Date", ""),
        valid_until=first.get("Valid-Until", ""),
        components=tuple(first.get("Components", "").split()),
        architectures=tuple(first.get("Architectures", "").split()),
        hashes=dict(_hashes(first.get("SHA256", ""))),
        digests=tuple(name for name in ("MD5Sum", "SHA1", "SHA256", "SHA512") if name in first),
        only_on_request=first.get("NotAutomatic", "").lower() == "yes",
        upgrades_by_itself=first.get("ButAutomaticUpgrades", "").lower() == "yes",
        label=first.get("Label", ""),
        all_within_others="Packages" in first.get("No-Support-for-Architecture-all", ""),
        by_hash=first.get("Acquire-By-Hash", "").lower() == "yes",
    )


def _hashes(text: str):
    for line in text.splitlines():
        words = line.split()
        if len(words) == 3 and words[1].isdigit():
            yield words[2], (words[0], int(words[1]))

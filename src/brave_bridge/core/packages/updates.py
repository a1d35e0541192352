"""Versions that the present release's sources have, held against what is installed."""

from collections.abc import Collection, Iterable

import msgspec

from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.versions.deb import version_key


class Offer(msgspec.Struct, frozen=True):
    """A version of an installed package that a source has. ``suite`` tells which source."""

    name: str
    version: str
    suite: str
    origin: str = ""
    download_bytes: int = 0

    @property
    def is_security(self) -> bool:
        """Whether its source calls itself one of security fixes."""
        return "security" in self.suite or "security" in self.origin.lower()


class Update(msgspec.Struct, frozen=True):
    """A newer version of an installed package within the present release."""

    name: str
    old: str
    new: str
    download_bytes: int = 0
    security: bool = False


class Outlook(msgspec.Struct, frozen=True):
    """What the package manager says it would do to bring the present release up to date."""

    updates: tuple[Update, ...] = ()
    new: tuple[str, ...] = ()
    removed: tuple[str, ...] = ()
    kept_back: tuple[str, ...] = ()

    @property
    def changes_anything(self) -> bool:
        """Whether there is anything to do."""
        return bool(self.updates or self.new or self.removed)


def pending_updates(
    packages: Iterable[InstalledPackage], offers: Iterable[Offer], kept_from: Collection[str] = ()
) -> tuple[Update, ...]:
    """The installed packages of which a source has a newer version, security ones first.

    Held packages are left out; so are suites in ``kept_from``, whose versions are only taken
    where they are asked for.
    """
    newest: dict[str, Offer] = {}
    for offer in offers:
        known = newest.get(offer.name)
        if offer.suite not in kept_from and (
            known is None or version_key(offer.version) > version_key(known.version)
        ):
            newest[offer.name] = offer
    found = []
    for package in packages:
        offer = newest.get(package.name)
        if offer is None or not package.is_present or package.is_held:
            continue
        if version_key(offer.version) > version_key(package.version):
            found.append(
                Update(
                    name=package.name,
                    old=package.version,
                    new=offer.version,
                    download_bytes=offer.download_bytes,
                    security=offer.is_security,
                )
            )
    return tuple(sorted(found, key=lambda update: (not update.security, update.name)))

"""Bundles from a depot: its signed list, and fetching one onto the machine's own storage."""

from collections.abc import Callable

import msgspec

from brave_bridge.archives.download import Downloader
from brave_bridge.archives.fault import ArchiveFault
from brave_bridge.archives.opening import downloader_of
from brave_bridge.archives.signatures import verified
from brave_bridge.core.formats.text import byte_size
from brave_bridge.core.images.depot import (
    INDEX,
    LARGEST_INDEX,
    SIGNATURE,
    Depot,
    DepotFault,
    Offered,
    read_depot,
)
from brave_bridge.core.images.system import KEY_FILES
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.queries import Contents
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.refusal import Refused

ADDRESS_FILE = "/etc/image/depot"
"""Where a machine says which depot it takes bundles of."""

FOLDER = "/srv/image/bundles"
_LARGEST_SIGNATURE = 64_000


class Fetched(msgspec.Struct, frozen=True):
    """A bundle that lies on the machine's storage now."""

    path: str
    offered: Offered


def depot_address(desk: Desk) -> str:
    """The depot of the machine; Refused where it names none."""
    known = desk.machine.files.read_if_there(ADDRESS_FILE, 4096) or b""
    address = known.decode("utf-8", "replace").strip()
    if not address:
        why = f"the machine names no depot in {ADDRESS_FILE}"
        raise Refused("looking into the depot", why, "name one: --from ADDRESS")
    return address


def offered_by(desk: Desk, address: str) -> Depot:
    """What a depot offers, signed by whom the machine knows; Refused."""
    with downloader_of(desk.machine) as downloader:
        return _listed(desk, downloader, address)


def fetch(desk: Desk, address: str, version: str, tell: Callable[[str], None]) -> Fetched:
    """Fetch the newest bundle of a release; what was cut off before is gone on with. Refused.

    It is believed in nothing by that: whoever uses it reads it to its end.
    """
    attempted = f"fetching the bundle of {version}"
    if not isinstance(desk.machine, FolderMachine):
        raise Refused(attempted, "bundles are fetched where the machine's files are")
    with downloader_of(desk.machine) as downloader:
        depot = _listed(desk, downloader, address)
        offered = depot.of(version)
        if offered is None:
            known = ", ".join(dict.fromkeys(one.version for one in depot.bundles)) or "nothing"
            raise Refused(attempted, f"the depot has {known}")
        path = f"{FOLDER}/{offered.file}"
        tell(f"{offered.file}, {byte_size(offered.size)}")
        place = desk.machine.files.beneath(path, ours=True)
        try:
            downloader.save(_at(address, offered.file), offered.sha256, offered.size, place)
        except ArchiveFault as fault:
            remedy = "what came is kept: the same command goes on with it"
            raise Refused(attempted, str(fault), remedy) from fault
    return Fetched(path, offered)


def _listed(desk: Desk, downloader: Downloader, address: str) -> Depot:
    attempted = f"looking into the depot {address}"
    keys = desk.machine.files.gather((Contents((KEY_FILES,), 1_000_000),)).contents
    try:
        index = downloader.get(_at(address, INDEX), LARGEST_INDEX)
        signature = downloader.get(_at(address, SIGNATURE), _LARGEST_SIGNATURE)
        if index is None or signature is None:
            raise Refused(attempted, "it answers that nothing changed, and nothing was known")
        verified(index.content, [*keys.values()], signature.content)
        return read_depot(index.content, desk.facts().identity.os_id)
    except (ArchiveFault, DepotFault) as fault:
        raise Refused(attempted, str(fault)) from fault


def _at(address: str, name: str) -> str:
    return f"{address.rstrip('/')}/{name}"

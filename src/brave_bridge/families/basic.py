"""Facts that every machine has, whatever its family, out of what two rounds have seen."""

from datetime import UTC, datetime

import msgspec

from brave_bridge.bootloaders.known import loader_in
from brave_bridge.bootloaders.known import queries as loader_queries
from brave_bridge.bootloaders.settings import QUERIES as settings_queries
from brave_bridge.bootloaders.settings import changed_settings, places
from brave_bridge.core.boot.entries import Loader
from brave_bridge.core.kernels.kernel_package import series_of
from brave_bridge.core.survey.facts import Evidence, Facts
from brave_bridge.core.survey.package_manager import PackageManager
from brave_bridge.core.survey.platform import Kernel
from brave_bridge.families.identify import identity_in
from brave_bridge.families.topics import (
    activity,
    board,
    boot,
    built,
    databases,
    hardware,
    identity,
    interpreters,
    licence,
    locale,
    storage,
    usr_layout,
)
from brave_bridge.machines.port import LookedAt
from brave_bridge.machines.queries import Query, Seen

_QUERIES: tuple[Query, ...] = (
    *identity.QUERIES,
    *boot.QUERIES,
    *storage.QUERIES,
    *hardware.QUERIES,
    *activity.QUERIES,
    *locale.QUERIES,
    *licence.QUERIES,
    *databases.QUERIES,
    *built.QUERIES,
    *board.QUERIES,
    *interpreters.QUERIES,
    *usr_layout.QUERIES,
    *settings_queries,
)


def queries(manager: PackageManager) -> tuple[Query, ...]:
    """What the first round asks for, on a machine with that package manager."""
    return (*_QUERIES, *loader_queries(), *activity.restart_queries(manager.restart_marks))


def _with_versions(loader: Loader, images: tuple[Kernel, ...]) -> Loader:
    """The loader whose entries that name no version have the one of their image."""
    versions = {image.path.rpartition("/")[2]: image.version for image in images}
    entries = tuple(
        entry
        if series_of(entry.kernel)
        else msgspec.structs.replace(entry, kernel=versions.get(name, entry.kernel))
        for entry in loader.entries
        for name in (entry.image.rpartition("/")[2],)
    )
    return msgspec.structs.replace(loader, entries=entries)


def further(seen: Seen) -> tuple[Query, ...]:
    """What the second round asks for, given what the first has seen."""
    return (
        *activity.further(seen),
        *storage.further(seen),
        *databases.further(seen),
        *built.further(seen),
        *interpreters.further(seen),
        *usr_layout.further(seen),
    )


def basic_facts(machine: LookedAt, seen: Seen, manager: PackageManager) -> Facts:
    """The facts that need no package database; MachineError where this is no system."""
    taken_at = datetime.now(UTC).isoformat(timespec="seconds")
    runs = not machine.is_mounted_only
    who, identity_seen = identity_in(seen, machine.name)
    booted, boot_seen = boot.read(seen, runs, taken_at)
    images, kernels_seen = boot.kernels(seen, booted.kernel)
    mounts, expected, storage_seen = storage.read(seen, runs)
    disks, disks_seen = storage.disks(seen, runs)
    made_of, hardware_seen = hardware.read(seen, who.architecture, runs)
    goes_on, activity_seen = activity.read(seen, runs, manager.restart_marks)
    accounts, accounts_seen = activity.accounts(seen)
    language, locale_seen = locale.read(seen)
    licensed, licence_seen = licence.read(seen)
    clusters, databases_seen = databases.read(seen)
    return Facts(
        machine=machine.name,
        kind=machine.kind,
        taken_at=taken_at,
        identity=who,
        packages=(),
        source_files=(),
        sources=(),
        archives=(),
        changed_configs=(),
        set_aside=(),
        space=storage.rooms(seen),
        kernels=images,
        built=built.read(seen, booted.kernel),
        board=board.read(seen),
        tools={},
        loader=_with_versions(loader_in(seen), images),
        boot=booted,
        last_boot=boot.last_boot(seen, runs),
        hardware=made_of,
        mounts=mounts,
        expected_mounts=expected,
        disks=disks,
        activity=goes_on,
        accounts=accounts,
        boot_files_changed=changed_settings(seen),
        boot_settings_in=places(),
        interpreters=interpreters.read(seen),
        usr_layout=usr_layout.read(seen),
        locale=language,
        licence=licensed,
        clusters=clusters,
        evidence=(
            identity_seen,
            boot_seen,
            kernels_seen,
            *storage_seen,
            disks_seen,
            *hardware_seen,
            *activity_seen,
            accounts_seen,
            locale_seen,
            licence_seen,
            databases_seen,
        ),
    )


def without_packages(facts: Facts, why: str) -> Facts:
    """The facts of a system that is not made of packages, or not of known ones."""
    topics = ("packages", "sources", "configs", "set-aside", "indices", "history")
    absent = tuple(Evidence(topic, "", "", absent=why) for topic in topics)
    return msgspec.structs.replace(facts, evidence=facts.evidence + absent)

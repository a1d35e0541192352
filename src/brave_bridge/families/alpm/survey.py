"""What an alpm machine's package database, repositories and config files tell."""

import msgspec

from brave_bridge.core.formats.alpm_database import read_local_package
from brave_bridge.core.formats.ini_sources import read_pacman_config
from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.formats.package_locks import pacman_ignored
from brave_bridge.core.survey.facts import Evidence, Facts
from brave_bridge.core.survey.manager_options import pacman_options
from brave_bridge.families.alpm.places import CONFIG, DATABASE, SET_ASIDE, VERSION_FILE
from brave_bridge.families.whole_packages import Places, WholePackageReading, package_facts
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.queries import Below, Contents, Query, Seen

_TOOLS = (
    "glibc",
    "pacman",
    "systemd",
    "linux",
    "linux-*",
    "openssh",
    "openssl",
    "python",
    "drift-*",
)
QUERIES: tuple[Query, ...] = (
    Contents((VERSION_FILE,), 64),
    Contents((f"{DATABASE}/*/desc",), 64 * 1024),
    Contents((f"{DATABASE}/*/files",), 8_000_000, containing=(b"%", b"\t", b"/vmlinuz")),
    Contents((CONFIG,), 256 * 1024),
    Below(("/etc",), SET_ASIDE),
)


def packages_in(seen: Seen, machine: str) -> tuple[InstalledPackage, ...]:
    """The packages of the local database; MachineError where it names none."""
    found = (
        read_local_package(text, seen.text(path.removesuffix("desc") + "files") or "")
        for path, text in seen.texts(f"{DATABASE}/*/desc")
    )
    packages = tuple(package for package in found if package is not None)
    if not packages:
        raise MachineError(
            "reading the package database",
            machine,
            f"{DATABASE} names no package",
            "check that the package database is on this file system",
        )
    return packages


def alpm_facts(seen: Seen, packages: tuple[InstalledPackage, ...], basic: Facts) -> Facts:
    """The basic facts and all that database, repositories and config files tell."""
    sources = tuple(read_pacman_config(seen.text(CONFIG) or "", CONFIG))
    places = Places(DATABASE, CONFIG, "/var/lib/pacman/sync", _TOOLS)
    locks = pacman_ignored(seen.text(CONFIG) or "", CONFIG)
    facts = package_facts(basic, seen, packages, sources, places, "alpm", locks)
    why = "a rolling line has no earlier release"
    history = Evidence("history", "/var/log/pacman.log", "", absent=why)
    against = tuple(pacman_options(seen.text(CONFIG) or "", CONFIG))
    evidence = (*facts.evidence, history)
    return msgspec.structs.replace(facts, settings_against=against, evidence=evidence)


READING = WholePackageReading(QUERIES, packages_in, alpm_facts)

"""The family of licensed systems, and what it is able to do."""

from collections.abc import Callable, Iterator
from datetime import date
from typing import Any

import msgspec

from brave_bridge.core.boot.entries import OWN, Loader
from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.formats.text import one_line
from brave_bridge.core.licensed import system as files
from brave_bridge.core.licensed.system import (
    KEPT_FILE,
    KEPT_FOLDER,
    KEPT_LOG,
    LICENCE_FILE,
    MEDIUM_FILES,
    PHASES_FILE,
    PROGRAMS_FILE,
    SYSTEM_FILE,
    KeptSystem,
    LicensedFault,
    LicensedSystem,
)
from brave_bridge.core.survey.facts import Evidence, Facts, Licence
from brave_bridge.core.survey.package_manager import PackageManager
from brave_bridge.families.basic import without_packages
from brave_bridge.families.components import kernels_among
from brave_bridge.families.family import Family
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.machines.queries import Contents, Names, Query, Seen

_LIMIT = 4_000_000
_READERS: dict[str, Callable[[bytes], Any]] = {
    SYSTEM_FILE: files.read_system,
    LICENCE_FILE: files.read_licence,
    PROGRAMS_FILE: files.read_programs,
    KEPT_FILE: files.read_kept,
    PHASES_FILE: files.read_phases,
}
_PEOPLE = ("/home/*", "/home/*/*", "/home/*/*/*")
_NEEDED = (SYSTEM_FILE, LICENCE_FILE)


class LicensedReading:
    """See Reading."""

    queries: tuple[Query, ...] = (
        Contents(tuple(_READERS), _LIMIT),
        Contents((KEPT_LOG,), 64_000, cut=True),
        Names((*MEDIUM_FILES, KEPT_FOLDER, f"{KEPT_FOLDER}/*")),
        Names(_PEOPLE),
    )

    def begin(self, machine: str, seen: Seen) -> LicensedSystem:
        """See Reading; system and licence must be there, and every file whole."""
        found = {path: self._read(machine, seen, path) for path in _READERS}
        kept = found[KEPT_FILE]
        homes = [one for one in seen.found.values() if one.path.startswith("/home/")]
        media = (one.path for one in seen.found.values() if one.path.endswith("/medium.json"))
        return LicensedSystem(
            found[SYSTEM_FILE],
            found[LICENCE_FILE],
            found[PROGRAMS_FILE] or (),
            _with_why(kept, seen) if kept else None,
            found[PHASES_FILE],
            tuple(sorted(media)),
            sum(one.kind == "folder" and one.path.count("/") == 2 for one in homes),
            sum(one.kind == "file" for one in homes),
        )

    def _read(self, machine: str, seen: Seen, path: str) -> Any:
        content = seen.contents.get(path)
        if content is None:
            if path in _NEEDED or path in seen.faults:
                why = seen.faults.get(path, "there is no such file")
                raise MachineError("reading the licensed system", machine, f"{path}: {why}")
            return None
        try:
            return _READERS[path](content)
        except LicensedFault as fault:
            what = f"{path} is damaged: {fault}"
            raise MachineError("reading the licensed system", machine, what) from fault

    def further(self, known: LicensedSystem) -> tuple[Query, ...]:
        """See Reading."""
        return ()

    def facts(self, machine: Machine, seen: Seen, known: LicensedSystem, basic: Facts) -> Facts:
        """See Reading; parts of the component store count as packages."""
        packages = tuple(_packages(known))
        licence = known.licence
        words = f"{known.title}, {(licence.ends and f'until {licence.ends}') or 'without an end'}"
        told = (
            Evidence("components", SYSTEM_FILE, f"{len(packages)} components"),
            Evidence("licence", LICENCE_FILE, words),
        )
        basic = without_packages(basic, "the system is made as one, not of packages")
        others = tuple(one for one in basic.evidence if one.topic != "licence")
        return msgspec.structs.replace(
            basic,
            packages=packages,
            kernel_packages=kernels_among(packages, basic.kernels),
            loader=basic.loader if basic.loader.kind else Loader(OWN),
            licensed=known,
            licence=Licence(known.title, licence.ends),
            tools={one.name: one.version for one in packages if one.name in ("base", "kernel")},
            evidence=(*others, *told),
        )


def _packages(known: LicensedSystem) -> Iterator[InstalledPackage]:
    for part in known.system.components:
        yield InstalledPackage(part.name, part.version, "")


def _with_why(kept: KeptSystem, seen: Seen) -> KeptSystem:
    """The kept system, with why it is gone where it is: by what its log and its folder show."""
    held = [path for path in seen.found if path.startswith(f"{KEPT_FOLDER}/")]
    if held:
        return kept
    lines = (seen.text(KEPT_LOG) or "").splitlines()
    said = next((line for line in reversed(lines) if "removed" in line), "")
    if said:
        why = f"removed, says {KEPT_LOG}: {one_line(said, 120)}"
    elif kept.until < str(date.today()):
        why = f"its time was over on {kept.until}"
    else:
        why = f"{KEPT_FOLDER} is empty, and nobody wrote down why"
    return msgspec.structs.replace(kept, gone=why)


class LicensedFamily(Family):
    """See Family."""

    name = "licensed"
    databases = (SYSTEM_FILE,)
    settings = ("var/lib/licensed",)
    manager = PackageManager(name="component store")

    @property
    def reading(self) -> LicensedReading:
        """See Family."""
        return LicensedReading()

    @property
    def planner(self):
        """See Family."""
        from brave_bridge.families.licensed.planning import LicensedPlanner

        return LicensedPlanner()

    @property
    def procedure(self):
        """See Family."""
        from brave_bridge.core.crossing.made_as_one.licensed_leg import LicensedLeg

        return LicensedLeg()


FAMILY = LicensedFamily()

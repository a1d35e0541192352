"""The family of systems that are one image in one of two slots; and what it is able to do."""

from collections.abc import Iterator

import msgspec

from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.images.system import (
    ALERTS_FILE,
    IMAGE_FILE,
    SLOTS_FILE,
    Alert,
    ImageFault,
    ImageSystem,
    read_alerts,
    read_image,
    read_slots,
    slots_as_loader,
)
from brave_bridge.core.survey.facts import Evidence, Facts
from brave_bridge.core.survey.package_manager import PackageManager
from brave_bridge.families.basic import without_packages
from brave_bridge.families.components import kernels_among
from brave_bridge.families.family import Family
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.machines.queries import Contents, Names, Query, Seen

_LIMIT = 4_000_000
_BUNDLES = ("/srv/*.bundle", "/srv/*/*.bundle", "/srv/*/*/*.bundle", "/media/*/*.bundle")


class ImageReading:
    """See Reading."""

    queries: tuple[Query, ...] = (
        Contents((IMAGE_FILE, SLOTS_FILE, ALERTS_FILE), _LIMIT),
        Names(_BUNDLES),
    )

    def begin(self, machine: str, seen: Seen) -> ImageSystem:
        """See Reading; both files must be there and whole."""
        found = {}
        for path, read in ((IMAGE_FILE, read_image), (SLOTS_FILE, read_slots)):
            content = seen.contents.get(path)
            if content is None:
                why = seen.faults.get(path, "there is no such file")
                raise MachineError("reading what runs", machine, f"{path}: {why}")
            try:
                found[path] = read(content)
            except ImageFault as fault:
                seen_there = f"{path} is damaged: {fault}"
                raise MachineError("reading what runs", machine, seen_there) from fault
        bundles = tuple(one.path for one in seen.found.values() if one.path.endswith(".bundle"))
        alerts = _alerts(seen)
        return ImageSystem(found[IMAGE_FILE], found[SLOTS_FILE], tuple(sorted(bundles)), alerts)

    def further(self, known: ImageSystem) -> tuple[Query, ...]:
        """See Reading."""
        return ()

    def facts(self, machine: Machine, seen: Seen, known: ImageSystem, basic: Facts) -> Facts:
        """See Reading; components count as packages, whole and of their makers."""
        packages = tuple(_packages(known))
        told = Evidence("components", IMAGE_FILE, f"{len(packages)} components")
        basic = without_packages(basic, "the system is one image, not made of packages")
        return msgspec.structs.replace(
            basic,
            packages=packages,
            kernel_packages=kernels_among(packages, basic.kernels),
            loader=basic.loader if basic.loader.kind else slots_as_loader(known),
            image=known,
            tools={one.name: one.version for one in packages if one.name in ("base", "kernel")},
            evidence=(*basic.evidence, told),
        )


def _alerts(seen: Seen) -> tuple[Alert, ...] | None:
    """What it complains of; None where it keeps no list, or none that could be read.

    A complaint that cannot be read is no reason to do without the machine: a proof tells it.
    """
    content = seen.contents.get(ALERTS_FILE)
    try:
        return None if content is None else read_alerts(content)
    except ImageFault:
        return None


def _packages(system: ImageSystem) -> Iterator[InstalledPackage]:
    for one in system.image.components:
        yield InstalledPackage(one.name, one.version, "", vendor=one.maker)


class ImageFamily(Family):
    """See Family."""

    name = "image"
    databases = (IMAGE_FILE,)
    settings = ("var/lib/image",)
    manager = PackageManager(name="image slots")

    @property
    def reading(self) -> ImageReading:
        """See Family."""
        return ImageReading()

    @property
    def planner(self):
        """See Family."""
        from brave_bridge.families.image.planning import ImagePlanner

        return ImagePlanner()

    @property
    def procedure(self):
        """See Family."""
        from brave_bridge.core.crossing.made_as_one.image_leg import ImageLeg

        return ImageLeg()


FAMILY = ImageFamily()

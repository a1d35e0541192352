"""The kernels that the sources of a machine have, known by how those that it has are named."""

import re
from collections.abc import Collection, Iterable, Iterator

import msgspec

from brave_bridge.core.crossing.replies import Failed
from brave_bridge.core.crossing.requests import FetchSuites, SuiteWanted
from brave_bridge.core.formats.apt_sources import SourceFile, entries, key_paths
from brave_bridge.core.kernels.keeping import image_of
from brave_bridge.core.kernels.kernel_package import flavour_of, series_of
from brave_bridge.core.packages.package_version import PackageVersion
from brave_bridge.core.planning.universe import Archive
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.versions.deb import version_key
from brave_bridge.families.registry import commands_of, family_named
from brave_bridge.machines.port import STATE_FOLDER
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.refusal import Refused

_VERSION = re.compile(r"\d+\.\d+[^:]*$")
_BESIDE = ("-dbg", "-dbgsym")
_BRANCH = f"{STATE_FOLDER}/branch"


class OfferedKernel(msgspec.Struct, frozen=True):
    """A kernel that a source has: what ``uname -r`` would say, its package with the version.

    ``flavour`` is what stands behind the numbers; ``is_here``: it is installed. Sizes in bytes.
    """

    kernel: str
    package: str
    version: str
    series: str
    flavour: str
    download_bytes: int
    disk_bytes: int
    is_here: bool
    modules: tuple[tuple[str, str], ...] = ()
    """The packages beside it that its modules are in, each name and version."""

    @property
    def packages(self) -> tuple[tuple[str, str], ...]:
        """All that it is made of, each name and version."""
        return ((self.package, self.version), *self.modules)


def offered_kernels(desk: Desk, lists: str = "") -> tuple[OfferedKernel, ...]:
    """All kernels that the sources have, newest first; Refused where none can be told.

    ``lists`` is where it was noted what another source has, see ``fetched_branch``.
    """
    facts = desk.facts()
    attempted = "listing the kernels that the sources have"
    reading = family_named(facts.family).packages
    if reading is None:
        raise Refused(attempted, f"no index of {facts.family or 'its family'} is read")
    stems = {stem for kernel in facts.kernels if (stem := _stem(facts, kernel.version))}
    if not stems:
        raise Refused(attempted, "no package has a kernel here: nothing tells how one is named")
    commands = commands_of(facts.family)
    archive = reading.universe(desk.machine, lists or commands.lists, commands.database).archive
    here = {kernel.version for kernel in facts.kernels}
    found = {one.package: one for one in _offered(archive, stems, here)}
    return tuple(sorted(found.values(), key=lambda one: version_key(one.kernel), reverse=True))


def must_be_offered(desk: Desk, kernel: str, attempted: str = "", lists: str = "") -> OfferedKernel:
    """A kernel that is not installed and that a source has; Refused where there is none."""
    attempted = attempted or f"adding kernel {kernel}"
    offered = offered_kernels(desk, lists)
    found = next((one for one in offered if kernel in (one.kernel, one.package)), None)
    if found is None:
        names = ", ".join(one.kernel for one in offered if not one.is_here)
        raise Refused(attempted, f"no source has it; they have: {names or 'none'}")
    if found.is_here:
        raise Refused(attempted, "it is installed")
    return found


def fetched_branch(desk: Desk, line: str) -> str:
    """Fetch what a source has that the machine does not name; where it is noted what came.

    It is checked by the machine's own keys. Nothing is written into the machine's sources.
    """
    attempted = f"asking {line}"
    found = [*entries(SourceFile("--from", line + "\n"))]
    if len(found) != 1 or not found[0].suites:
        raise Refused(attempted, "it is no source: deb URI SUITE COMPONENT")
    wanted = tuple(
        SuiteWanted(
            uri=uri, suite=suite, components=entry.components, key_files=tuple(key_paths(entry))
        )
        for entry in found
        for uri in entry.uris
        for suite in entry.suites
    )
    request = FetchSuites(title="Fetch what it has", folder=_BRANCH, suites=wanted)
    reply = desk.performer("branch").perform(0, request, lambda *_: None)
    if isinstance(reply, Failed):
        raise Refused(attempted, f"{reply.attempted}: {reply.seen}", reply.remedy)
    faults = [one.fault for one in getattr(reply, "suites", ()) if one.fault]
    if faults:
        raise Refused(attempted, "; ".join(faults[:3]))
    return _BRANCH


def _stem(facts: Facts, kernel: str) -> str:
    """How a package with a kernel's image is named, without the kernel's version."""
    image = image_of(facts, kernel)
    return image.name.removesuffix(kernel) if image and image.name.endswith(kernel) else ""


def _offered(
    archive: Archive, stems: Iterable[str], here: Collection[str]
) -> Iterator[OfferedKernel]:
    begun = tuple(stems)
    for name in archive.names():
        stem = next((stem for stem in begun if name.startswith(stem)), "")
        kernel = name.removeprefix(stem)
        if not stem or not _VERSION.match(kernel) or kernel.endswith(_BESIDE):
            continue
        for package in archive.candidates(name):
            details = package.details
            yield OfferedKernel(
                kernel=kernel,
                package=name,
                version=package.version,
                series=series_of(kernel),
                flavour=flavour_of(kernel),
                download_bytes=details.download_bytes,
                disk_bytes=details.disk_bytes,
                is_here=kernel in here,
                modules=tuple(_modules_of(archive, package, kernel)),
            )


def _modules_of(archive: Archive, image: PackageVersion, kernel: str) -> Iterator[tuple[str, str]]:
    """What the image's package needs that is named by the same version: its modules."""
    for clause in image.relations.needs:
        for atom in clause.atoms:
            if atom.name != image.name and atom.name.endswith(kernel):
                for package in archive.candidates(atom.name):
                    yield package.name, package.version

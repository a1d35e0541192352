"""Universes small enough to be written out, and to be tried out version by version."""

from itertools import product

from brave_bridge.core.formats.packages.deb_index import index_of
from brave_bridge.core.packages.package_version import PackageVersion
from brave_bridge.core.planning.checker import Meaning, faults_of
from brave_bridge.core.planning.universe import Universe
from brave_bridge.families.deb.archive import DebArchive
from brave_bridge.families.deb.policy import Origin, Policy
from brave_bridge.families.deb.system import installed_packages

NATIVE = "amd64"


def stanzas(text: str, *, installed: bool) -> bytes:
    """Stanzas from lines like ``name 1.0 Depends: a, b; Breaks: c`` (``hold`` in front: held).

    Of what is installed ``auto`` in front says that nobody asked for it.
    """
    blocks = []
    for line in text.strip().splitlines():
        words = line.split()
        marks = [w for w in words[:2] if w in ("hold", "auto")]
        name, version, *rest = words[len(marks) :]
        fields = [field.strip() for field in " ".join(rest).split(";") if field.strip()]
        if installed:
            fields.append(f"Status: {'hold' if 'hold' in marks else 'install'} ok installed")
        if not any(field.startswith("Architecture") for field in fields):
            fields.append("Architecture: amd64")
        blocks.append("\n".join([f"Package: {name}", f"Version: {version}", *fields]))
    return "\n\n".join(blocks).encode() + b"\n\n"


def _architecture(line: str) -> str:
    _, found, rest = line.partition("Architecture: ")
    return rest.partition(";")[0] if found else NATIVE


def little_universe(
    installed: str, offered: str, architectures: tuple[str, ...] = (NATIVE,)
) -> Universe:
    """The universe of a machine with these packages and one index."""
    marks = "\n\n".join(
        f"Package: {words[words.index('auto') + 1]}\nArchitecture: {_architecture(line)}\n"
        "Auto-Installed: 1"
        for line in installed.strip().splitlines()
        if "auto" in (words := line.split())[:2]
    )
    found = list(installed_packages(stanzas(installed, installed=True), marks, NATIVE))
    index = index_of(stanzas(offered, installed=False), NATIVE, "new")
    present = {one.package.slot: one.package for one in found}
    archive = DebArchive([(index, Origin(suite="new"))], Policy(), architectures, present)
    return Universe(found, archive)


def every_way(universe: Universe, names: list[str]):
    """Every set of versions of these packages that can stand together."""
    slots: dict[str, list[PackageVersion | None]] = {}
    for name in names:
        for version in universe.called(name):
            slots.setdefault(version.slot, [None]).append(version)
    for chosen in product(*slots.values()):
        after = {version.slot: version for version in chosen if version is not None}
        if not list(faults_of(after, Meaning())):
            yield after


def versions(after: dict[str, PackageVersion]) -> dict[str, str]:
    """Slots and versions, to compare with."""
    return {slot: version.version for slot, version in sorted(after.items())}

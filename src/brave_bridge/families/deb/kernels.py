"""Whose kernels are on a deb machine: by the files that packages own, not by their names.

Follows dpkg's database: ``info/PACKAGE.list`` names every path that a package owns.
"""

import re
from collections.abc import Iterable, Iterator

from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.kernels.kernel_package import (
    FOLLOWS,
    HEADERS,
    IMAGE,
    MODULES,
    KernelPackage,
)
from brave_bridge.families.deb.places import INFO, MARKS
from brave_bridge.families.deb.system import automatic_in
from brave_bridge.machines.queries import Contents, Names, Query, Seen

_IMAGE = re.compile(r"^/boot/vmlinu[xz]-(\S+)$", re.MULTILINE)
_BUILD = re.compile(r"^(?:/usr)?/lib/modules/([^/\s]+)/build$", re.MULTILINE)
_ONE_MODULE = re.compile(r"^(?:/usr)?/lib/modules/([^/\s]+)/\S+\.ko", re.MULTILINE)
_WORD = re.compile(r"[a-z0-9][a-z0-9+.-]+")
_TELLING = (b"/boot/vmlinu", b"/build", b".ko")
_ENOUGH = 8192
"""Bytes of a list of files that tell a kernel's package: not all of its modules need be read."""

FIRST_QUERIES: tuple[Query, ...] = (Contents((MARKS,), 4_000_000), Names(("/boot/vmlinu*",)))


def kernels_found(seen: Seen) -> tuple[str, ...]:
    """The versions of the kernel images in /boot."""
    names = (found.path for found in seen.paths("/boot/vmlinu*") if found.kind == "file")
    return tuple(match[1] for name in names if (match := _IMAGE.match(name)))


def candidates(
    kernels: Iterable[str], packages: Iterable[InstalledPackage]
) -> tuple[InstalledPackage, ...]:
    """The packages that may have something of these kernels, or follow them.

    Those that name a kernel's version, and all that depend on one of them, step by step.
    """
    versions = tuple(kernels)
    present = [package for package in packages if package.is_present]
    found = {p.name: p for p in present if any(version in p.name for version in versions)}
    while more := [
        p for p in present if p.name not in found and found.keys() & set(_WORD.findall(p.depends))
    ]:
        found.update({package.name: package for package in more})
    return tuple(found.values())


def queries(seen: Seen, of: Iterable[InstalledPackage]) -> tuple[Query, ...]:
    """What the second round asks for: which paths these packages own."""
    paths = {f"{INFO}/{name}.list" for p in of for name in (p.name, f"{p.name}:{p.architecture}")}
    sizes = {path: seen.found[path].size for path in sorted(paths) if path in seen.found}
    short = tuple(path for path, size in sizes.items() if size <= _ENOUGH)
    longer = tuple(path for path in sizes if path not in short)
    return (Contents(short, _ENOUGH), Contents(longer, _ENOUGH, containing=_TELLING))


def kernel_packages(seen: Seen, of: Iterable[InstalledPackage]) -> Iterator[KernelPackage]:
    """The packages of kernels among those that were asked about."""
    automatic = automatic_in(seen.text(MARKS) or "")
    known: dict[str, KernelPackage] = {}
    left = {package.name: package for package in of}
    for package in tuple(left.values()):
        part, kernel = _part(_paths(seen, package))
        if part:
            known[package.name] = _kernel_package(package, part, kernel, automatic, ())
            del left[package.name]
    while follows := [p for p in left.values() if _follows(seen, p, known)]:
        for package in follows:
            needs = tuple(n for n in dict.fromkeys(_WORD.findall(package.depends)) if n in known)
            newest = known[needs[0]].kernel
            known[package.name] = _kernel_package(package, FOLLOWS, newest, automatic, needs)
            del left[package.name]
    yield from known.values()


def _part(paths: str) -> tuple[str, str]:
    """What of a kernel a package owns, and of which."""
    for part, pattern in ((IMAGE, _IMAGE), (HEADERS, _BUILD), (MODULES, _ONE_MODULE)):
        if match := pattern.search(paths):
            return part, match[1]
    return "", ""


def _follows(seen: Seen, package: InstalledPackage, known: dict[str, KernelPackage]) -> bool:
    """Whether it is nothing but a dependency on kernels: it owns documentation at most."""
    named = known.keys() & set(_WORD.findall(package.depends))
    owned = [line for line in _paths(seen, package).splitlines() if not _is_documentation(line)]
    return bool(named) and not owned


def _is_documentation(path: str) -> bool:
    return path.startswith("/usr/share/") or path in ("/.", "/usr", "/usr/share")


def _paths(seen: Seen, package: InstalledPackage) -> str:
    for name in (package.name, f"{package.name}:{package.architecture}"):
        text = seen.text(f"{INFO}/{name}.list")
        if text is not None:
            return text
    return ""


def _kernel_package(
    package: InstalledPackage,
    part: str,
    kernel: str,
    automatic: set[tuple[str, str]],
    needs: tuple[str, ...],
) -> KernelPackage:
    return KernelPackage(
        name=package.name,
        version=package.version,
        kernel=kernel,
        part=part,
        by_hand=(package.name, package.architecture) not in automatic,
        held=package.is_held,
        size_bytes=package.installed_kib * 1024,
        needs=needs,
    )

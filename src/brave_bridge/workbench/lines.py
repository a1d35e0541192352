"""The release catalogue: our dated copy, and what an administrator adds to it."""

from functools import cache
from importlib.resources import files
from importlib.resources.abc import Traversable
from pathlib import Path

import msgspec

from brave_bridge.core.releases.catalogue import Release, ReleaseLine, read_line
from brave_bridge.core.releases.checking import CatalogueFault, check_line
from brave_bridge.core.releases.conditions import KernelSeries
from brave_bridge.core.survey.facts import Facts, Identity
from brave_bridge.core.survey.products import ProductSeen, products_on
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.opening.named import named
from brave_bridge.workbench.places import config_folder

_LARGEST = 4_000_000


class CatalogueError(Exception):
    """A catalogue file cannot be read; the message names it."""


@cache
def all_lines() -> tuple[ReleaseLine, ...]:
    """Every release line; a file of the administrator's own takes the place of ours.

    One of theirs that cannot be used is left out, see ``own_files``.
    """

    found = {line.id: line for line in map(_read, sorted(_shipped(), key=str))}
    found.update({own.line.id: own.line for own in own_files() if own.line})
    series = _kernel_series()
    return tuple(
        line if line.kernels else msgspec.structs.replace(line, kernels=series)
        for line in found.values()
    )


def _shipped() -> list[Traversable]:
    """The catalogue files that come with the program."""
    return [*files("brave_bridge.data").joinpath("releases").iterdir()]


class OwnFile(msgspec.Struct, frozen=True):
    """A catalogue file of the administrator's: its line where it can be used, what is wrong."""

    path: Path
    line: ReleaseLine | None
    faults: tuple[CatalogueFault, ...]


def own_files() -> tuple[OwnFile, ...]:
    """The administrator's own catalogue files, in the order of their names."""
    folder = config_folder() / "releases"
    try:
        names = [name for name in folder.names() if name.endswith(".toml")]
    except OSError:
        return ()
    return tuple(_checked(folder / name) for name in names)


def check_file(path: Path) -> OwnFile:
    """A catalogue file that a person names, read and checked."""
    return _checked(named(path))


def _checked(place: Beneath) -> OwnFile:
    try:
        line, faults = check_line(place.read(_LARGEST).decode("utf-8"))
    except OSError as error:
        line, faults = None, [CatalogueFault(0, error.strerror or str(error))]
    except UnicodeDecodeError as error:
        line, faults = None, [CatalogueFault(0, str(error))]
    return OwnFile(place.path, line, tuple(faults))


class _KernelTable(msgspec.Struct):
    kernels: tuple[KernelSeries, ...]
    source: str
    checked: str


def _kernel_series() -> tuple[KernelSeries, ...]:
    """The series that the kernel's own maintainers keep for long."""
    text = files("brave_bridge.data").joinpath("kernels.toml").read_text(encoding="utf-8")
    return msgspec.toml.decode(text, type=_KernelTable).kernels


def _read(path) -> ReleaseLine:
    try:
        return read_line(path.read_text(encoding="utf-8"))
    except (OSError, msgspec.DecodeError, msgspec.ValidationError) as error:
        raise CatalogueError(f"{path}: {error}") from error


def line_of(identity: Identity) -> ReleaseLine | None:
    """The line of an identified system."""
    return next((line for line in all_lines() if identity.os_id in line.os_ids), None)


def release_of(identity: Identity, line: ReleaseLine | None = None) -> Release | None:
    """The release of an identified system, as its line (with the dates it has there) knows it."""
    line = line or line_of(identity)
    return line.identify(identity.version_id, identity.codename) if line else None


def line_for(facts: Facts) -> ReleaseLine | None:
    """The line of a machine, with the dates of the machine's own table of releases."""
    line = line_of(facts.identity)
    if line is None or not facts.release_dates:
        return line
    return line.with_dates(facts.release_dates, facts.where("dates"))


def products_of(facts: Facts, line: ReleaseLine | None) -> tuple[ProductSeen, ...]:
    """The products that stand on the base that a machine has."""
    return products_on(facts, line, all_lines()) if line else ()

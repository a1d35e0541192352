"""The release catalogue: our dated copy, and what an administrator adds to it."""

import os
from functools import cache
from importlib.resources import files
from pathlib import Path

import msgspec

from brave_bridge.core.releases.catalogue import Release, ReleaseLine, read_line
from brave_bridge.core.survey.facts import Identity


class CatalogueError(Exception):
    """A catalogue file cannot be read; the message names it."""


def config_folder() -> Path:
    """Where a person's settings are."""
    base = os.environ.get("XDG_CONFIG_HOME") or str(Path.home() / ".config")
    return Path(base) / "brave-bridge"


@cache
def all_lines() -> tuple[ReleaseLine, ...]:
    """Every release line; a file of the administrator's own takes the place of ours."""
    ours = files("brave_bridge.data").joinpath("releases")
    found = {line.id: line for line in map(_read, sorted(ours.iterdir(), key=str))}
    own = config_folder() / "releases"
    if own.is_dir():
        found.update({line.id: line for line in map(_read, sorted(own.glob("*.toml")))})
    return tuple(found.values())


def _read(path) -> ReleaseLine:
    try:
        return read_line(path.read_text(encoding="utf-8"))
    except (OSError, msgspec.DecodeError, msgspec.ValidationError) as error:
        raise CatalogueError(f"{path}: {error}") from error


def line_of(identity: Identity) -> ReleaseLine | None:
    """The line of an identified system."""
    return next((line for line in all_lines() if identity.os_id in line.os_ids), None)


def release_of(identity: Identity) -> Release | None:
    """The release of an identified system."""
    line = line_of(identity)
    return line.identify(identity.version_id, identity.codename) if line else None

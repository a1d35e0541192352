"""Made-up licensed systems: what a stand-in of such a line has, its media, its service's book."""

import hashlib
import json
from collections.abc import Callable
from datetime import date, timedelta
from importlib import resources
from typing import Any

import msgspec

from brave_bridge.core.licensed.system import LICENCE_FILE, PROGRAMS_FILE, SYSTEM_FILE
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.standin.licence_service import BOOK

KEY_FILE = "/etc/licensed/keys/halyard.asc"


class LicensedRelease(msgspec.Struct):
    """A release: its parts with their versions, and what its medium needs."""

    version: str
    build: str
    components: dict[str, str]
    drivers: list[str] = []
    grows_mib: int = 0
    phases: int = 1


class LicensedLine(msgspec.Struct):
    """A made-up line: its releases, and its editions as the system tells them."""

    line: str
    language: str
    architecture: str
    release: tuple[LicensedRelease, ...]
    edition: list[dict[str, Any]]

    def of(self, version: str) -> LicensedRelease:
        """A release by its version."""
        return next(one for one in self.release if one.version == version)

    def told(self, version: str) -> dict[str, Any]:
        """What a system of a release tells of itself, but for its edition."""
        release = self.of(version)
        parts = [{"name": name, "version": v} for name, v in release.components.items()]
        return {"version": version, "build": release.build, "components": parts}


class KnownKey(msgspec.Struct):
    """A key that the service knows, by its digest."""

    digest: str
    edition: str
    left: int


class LicenceService(msgspec.Struct):
    """What the service's book has from the beginning."""

    keys: tuple[KnownKey, ...]


class LicensedWorld(msgspec.Struct):
    """The made-up lines, and their service."""

    system: tuple[LicensedLine, ...]
    service: LicenceService


def licensed_world() -> LicensedWorld:
    """That of the demo."""
    text = resources.files("brave_bridge.data").joinpath("demo/halyard.toml").read_text()
    return msgspec.toml.decode(text, type=LicensedWorld)


def licensed_line(name: str) -> LicensedLine:
    """A line by its name."""
    return next(one for one in licensed_world().system if one.line == name)


def write_licensed_system(
    machine: FolderMachine,
    line: LicensedLine,
    version: str,
    edition: str,
    *,
    days: int = 0,
    programs: list[dict[str, str]] | None = None,
    key: bytes = b"",
) -> None:
    """What a licensed system has of itself; ``days`` are left of its trial, where it is one."""
    known = next(one for one in line.edition if one["title"] == edition)
    told = line.told(version) | {
        "edition": known["name"],
        "language": line.language,
        "architecture": line.architecture,
        "editions": line.edition,
    }
    _write(machine, SYSTEM_FILE, told)
    ends = str(date.today() + timedelta(days=days)) if days else ""
    state = {"channel": "trial" if days else "bought", "ends": ends, "trial": bool(days)}
    active = {"edition": known["name"], "activation": "none" if days else "active"}
    _write(machine, LICENCE_FILE, active | state)
    if programs:
        _write(machine, PROGRAMS_FILE, programs)
    if key:
        machine.files.write(KEY_FILE, key)
    keys = {
        one.digest: {"edition": one.edition, "left": one.left, "machines": []}
        for one in licensed_world().service.keys
    }
    _write(machine, BOOK, {"keys": keys, "fault": ""})


def write_medium(
    machine: FolderMachine,
    folder: str,
    line: LicensedLine,
    version: str,
    sign: Callable[[bytes], bytes],
    otherwise: dict[str, Any],
) -> None:
    """A medium of a release; ``otherwise`` is what it says of itself that is other than usual."""
    release = line.of(version)
    system = json.dumps(line.told(version), indent=1).encode()
    store = f"{line.line} {version}\n".encode() * 20_000
    files = {"system.json": system, "sources/store.img": store}
    for path, content in files.items():
        machine.files.write(f"{folder}/{path}", content)
    told = {
        "schema": 1,
        "line": line.line,
        "version": version,
        "build": release.build,
        "architecture": line.architecture,
        "languages": [line.language],
        "editions": [one["name"] for one in line.edition],
        "drivers": release.drivers,
        "grows": release.grows_mib << 20,
        "phases": release.phases,
        "files": [
            {"path": path, "size": len(content), "sha256": hashlib.sha256(content).hexdigest()}
            for path, content in files.items()
        ],
    } | otherwise
    text = json.dumps(told, indent=1).encode()
    machine.files.write(f"{folder}/medium.json", text)
    machine.files.write(f"{folder}/medium.json.asc", sign(text))


def _write(machine: FolderMachine, path: str, value: object) -> None:
    machine.files.write(path, json.dumps(value, indent=1).encode() + b"\n")

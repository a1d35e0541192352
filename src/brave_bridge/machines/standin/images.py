"""Made-up images: what a stand-in of an image line has, and the bundles that it is taken to."""

import hashlib
import io
import json
import tarfile
from collections.abc import Callable, Sequence
from importlib import resources
from typing import Any

import msgspec
import tomlkit

from brave_bridge.core.images.manifest import MANIFEST, SIGNATURE
from brave_bridge.core.images.system import ALERTS_FILE, GOOD, IMAGE_FILE, SETTINGS_FILE, SLOTS_FILE
from brave_bridge.machines.folder import FolderMachine

KEY_FILE = "/etc/image/keys/keelstone.asc"
PROFILES = {
    "full": "for hardware that is not known beforehand",
    "bare": "for hosts of small guests",
}


class ImageComponent(msgspec.Struct):
    """A component: in which profiles (all: empty), its size, its version in each release."""

    name: str
    about: str
    kib: int
    versions: dict[str, str]
    only: tuple[str, ...] = ()
    drivers: list[dict[str, Any]] = []

    def content(self, release: str) -> bytes:
        """What it is in a release: its own words, again and again."""
        words = f"{self.name} {self.versions[release]}: {self.about}\n".encode()
        return (words * (self.kib * 1024 // len(words) + 1))[: self.kib * 1024]


class ImageRelease(msgspec.Struct):
    """A release of the line, as its bundle announces it."""

    version: str
    build: str
    serial: int
    made: str
    issues: list[dict[str, str | bool]] = []


class ImageLine(msgspec.Struct):
    """A made-up line of images."""

    line: str
    key: str
    release: tuple[ImageRelease, ...]
    component: tuple[ImageComponent, ...]

    def of(self, version: str) -> ImageRelease:
        """A release by its version."""
        return next(one for one in self.release if one.version == version)

    def components(self, profile: str) -> list[ImageComponent]:
        """What a profile has."""
        return [one for one in self.component if not one.only or profile in one.only]


def image_line() -> ImageLine:
    """The line of the demo."""
    text = resources.files("brave_bridge.data").joinpath("demo/keelstone.toml").read_text()
    return msgspec.convert(tomlkit.parse(text).unwrap(), ImageLine)


def write_image_system(
    machine: FolderMachine, line: ImageLine, version: str, profile: str, key: bytes
) -> None:
    """What an image system has of itself: image, slots, and whose bundles it takes."""
    release = line.of(version)
    components = [
        {"name": one.name, "version": one.versions[version]} for one in line.components(profile)
    ]
    told = {"version": version, "build": release.build, "profile": profile}
    _write(machine, IMAGE_FILE, told | {"components": components})
    slots = [{"name": "a", "state": GOOD, **told}, {"name": "b", "state": "empty"}]
    serial = release.serial
    _write(machine, SLOTS_FILE, {"running": "a", "default": "a", "serial": serial, "slots": slots})
    _write(machine, ALERTS_FILE, [])
    machine.files.write(KEY_FILE, key)
    settings = {"form": version, "alerts": "watch@northlight.example", "shares": ["charts"]}
    _write(machine, SETTINGS_FILE, settings)


def _write(machine: FolderMachine, path: str, value: object) -> None:
    machine.files.write(path, json.dumps(value, indent=1).encode() + b"\n")


def bundle_of(line: ImageLine, version: str, sign: Callable[[bytes], bytes]) -> bytes:
    """The bundle of a release, signed."""
    release = line.of(version)
    contents = {one.name: one.content(version) for one in line.component}
    manifest = {
        "schema": 1,
        "line": line.line,
        "version": version,
        "build": release.build,
        "serial": release.serial,
        "made": release.made,
        "issues": release.issues,
        "components": [
            {
                "name": one.name,
                "version": one.versions[version],
                "size": len(contents[one.name]),
                "sha256": hashlib.sha256(contents[one.name]).hexdigest(),
                "about": one.about,
                "drivers": one.drivers,
            }
            for one in line.component
        ],
        "profiles": [
            {"name": name, "about": about, "components": [c.name for c in line.components(name)]}
            for name, about in PROFILES.items()
        ],
    }
    text = json.dumps(manifest, indent=1).encode()
    files = [(f"components/{name}", content) for name, content in contents.items()]
    return tar_of([(MANIFEST, text), (SIGNATURE, sign(text)), *files])


def tar_of(members: Sequence[tuple[str, bytes]]) -> bytes:
    """A tar of these members, in this order."""
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode="w", format=tarfile.USTAR_FORMAT) as tar:
        for name, content in members:
            entry = tarfile.TarInfo(name)
            entry.size = len(content)
            tar.addfile(entry, io.BytesIO(content))
    return buffer.getvalue()

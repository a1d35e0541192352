"""What an image system says of itself: the image that runs, and what its slots hold.

Two files of JSON: one within the image, which is never written to, and one beside the slots.
docs/bundles.md has both.
"""

from collections.abc import Iterator
from typing import TypeVar

import msgspec

from brave_bridge.core.boot.entries import SLOTS, BootEntry, Loader
from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.formats.text import one_line
from brave_bridge.core.images.changes import InstalledComponent
from brave_bridge.core.images.manifest import MOST_ISSUES, Manifest

IMAGE_FILE = "/usr/lib/image/image.json"
SLOTS_FILE = "/var/lib/image/slots.json"
KEY_FILES = "/etc/image/keys/*.asc"
ALERTS_FILE = "/var/lib/image/alerts.json"
SETTINGS_FILE = "/etc/image/settings.json"
_EXPORTS = "/var/lib/image/settings"
TOOL = "image-slots"
"""The system's own tool; docs/bundles.md has what it is called with."""

GOOD, EMPTY, TRIAL, BAD = "good", "empty", "trial", "bad"
"""What a slot holds: an image that has proven itself, none, one on trial, one that has failed."""


def export_of(version: str) -> str:
    """Where the settings of a release are exported to before it is left."""
    return f"{_EXPORTS}/{version}.json"


_MOST, _MOST_ALERTS = 4000, 500
_Kind = TypeVar("_Kind")


class ImageFault(ValueError):
    """One of the files is not what it must be: why, in words."""


class Image(msgspec.Struct, frozen=True):
    """The image that runs, as it says itself."""

    version: str
    build: str
    profile: str
    components: tuple[InstalledComponent, ...] = ()


class Slot(msgspec.Struct, frozen=True):
    """A slot, and what was written into it; all but the name empty where nothing was.

    ``cures`` are the known issues of its image whose cures are in place, by their names.
    """

    name: str
    state: str = EMPTY
    version: str = ""
    build: str = ""
    profile: str = ""
    cures: tuple[str, ...] = ()


class Slots(msgspec.Struct, frozen=True):
    """The slots: which one runs, which one every boot takes, and the highest serial ever taken."""

    running: str
    default: str
    slots: tuple[Slot, ...]
    serial: int = 0


class Alert(msgspec.Struct, frozen=True):
    """Something that the system complains of. ``issue``: the known issue that it comes from.

    ``of_data``: what is stored is at fault, not what serves or shows it.
    """

    id: str
    text: str
    issue: str = ""
    of_data: bool = False


class ImageSystem(msgspec.Struct, frozen=True):
    """What runs, the slots, and the bundles that lie on the machine's own storage, by path.

    ``alerts`` is None where the system tells of none and of all, for it keeps no list.
    """

    image: Image
    slots: Slots
    bundles: tuple[str, ...] = ()
    alerts: tuple[Alert, ...] | None = None

    @property
    def other(self) -> Slot | None:
        """The slot that does not run: where the next image goes."""
        return next((s for s in self.slots.slots if s.name != self.slots.running), None)

    @property
    def running(self) -> Slot:
        """The slot that runs."""
        return next(s for s in self.slots.slots if s.name == self.slots.running)


def is_on_trial(system: ImageSystem | None) -> bool:
    """Whether the slot that runs has not proven itself yet."""
    return system is not None and system.running.state == TRIAL


def taken_to(system: ImageSystem, manifest: Manifest, profile: str) -> ImageSystem:
    """The system as a leg leaves it: the other slot runs, with a profile of that bundle."""
    parts = tuple(
        InstalledComponent(one.name, one.version, one.maker) for one in manifest.of(profile)
    )
    image = Image(manifest.version, manifest.build, profile, parts)
    name = system.other.name if system.other else system.slots.running
    there = Slot(name, GOOD, manifest.version, manifest.build, profile)
    slots = tuple(there if slot.name == name else slot for slot in system.slots.slots)
    serial = max(system.slots.serial, manifest.serial)
    return msgspec.structs.replace(system, image=image, slots=Slots(name, name, slots, serial))


def read_image(content: bytes) -> Image:
    """The image by its own file; ImageFault."""
    image = _decoded(content, Image)
    components = tuple(
        InstalledComponent(*(one_line(word, 80) for word in (c.name, c.version, c.maker)))
        for c in image.components[:_MOST]
    )
    version, build, profile = (one_line(w, 80) for w in (image.version, image.build, image.profile))
    return Image(version, build, profile, components)


def read_slots(content: bytes) -> Slots:
    """The slots; ImageFault where what runs is none of them."""
    found = _decoded(content, Slots)
    known = [slot.name for slot in found.slots]
    if found.running not in known or len(set(known)) < len(known):
        raise ImageFault(f"slot {one_line(found.running, 20)} runs, and there are {len(known)}")
    return msgspec.structs.replace(found, slots=tuple(map(_clean, found.slots)))


def _clean(slot: Slot) -> Slot:
    """A slot as it may be shown: one line each, and no more of them than there may be."""
    name, state, version, build, profile = (
        one_line(word, 80)
        for word in (slot.name, slot.state, slot.version, slot.build, slot.profile)
    )
    cures = tuple(one_line(word, 80) for word in slot.cures[:MOST_ISSUES])
    return Slot(name, state, version, build, profile, cures)


def read_alerts(content: bytes) -> tuple[Alert, ...]:
    """What the system complains of; ImageFault."""
    return tuple(
        Alert(one_line(one.id, 80), one_line(one.text, 200), one_line(one.issue, 80), one.of_data)
        for one in _decoded(content, tuple[Alert, ...])[:_MOST_ALERTS]
    )


def slots_as_loader(system: ImageSystem) -> Loader:
    """The slots as what a loader boots; of the one that does not run the kernel is not told."""
    kernel = next((one.version for one in system.image.components if one.name == "kernel"), "")
    entries = tuple(
        BootEntry(
            f"slot {slot.name}: {slot.version}, {slot.build}",
            kernel if slot.name == system.slots.running else "",
            id=slot.name,
        )
        for slot in system.slots.slots
        if slot.state in (GOOD, TRIAL)
    )
    return Loader(SLOTS, entries, system.slots.default, remembers=SLOTS_FILE)


def disagreements(system: ImageSystem) -> Iterator[str]:
    """Where the image that runs and its slot say different things of it, in sentences."""
    slot = system.running
    for word in ("version", "build", "profile"):
        here, there = getattr(system.image, word), getattr(slot, word)
        if here != there:
            yield f"{word}: {here or 'none'} says the image, {there or 'none'} its slot"


def _decoded(content: bytes, kind: type[_Kind]) -> _Kind:
    try:
        return decode_json(content, kind)
    except msgspec.DecodeError as error:
        raise ImageFault(str(error)) from error

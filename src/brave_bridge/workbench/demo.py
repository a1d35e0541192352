"""The demo fleet: eleven machines of a made-up research station, built from the demo's data."""

import fcntl
from collections.abc import Callable
from importlib.resources import files
from pathlib import Path

import msgspec

from brave_bridge.core.releases.catalogue import ReleaseLine
from brave_bridge.machines.folder_state import FolderState
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.standin import live, world
from brave_bridge.machines.standin.live import Live
from brave_bridge.machines.standin.machine import StandInMachine, open_stand_in
from brave_bridge.machines.standin.other_roots import write_other_root
from brave_bridge.store.opening import open_notes
from brave_bridge.workbench.demo_ways_back import (
    DemoWayBack,
    clear_but_state,
    take_demo_way_back,
)
from brave_bridge.workbench.lines import all_lines
from brave_bridge.workbench.places import state_folder

DEMO_PACE_SECONDS = 0.12


class DemoMedium(msgspec.Struct):
    """A medium that lies in a machine."""

    folder: str
    release: str
    languages: tuple[str, ...]


class DemoMachine(msgspec.Struct):
    """A machine of the demo as its data describe it."""

    name: str
    about: str
    line: str
    release: str
    edition: str = ""
    profile: str = ""
    bundles: tuple[str, ...] = ()
    """Releases of its line whose bundles lie on its own storage."""
    media: tuple[DemoMedium, ...] = ()
    """Media of its line that it can read."""
    programs: tuple[dict[str, str], ...] = ()
    """Programs that people installed on it."""
    packages: tuple[str, ...] = ()
    held: tuple[str, ...] = ()
    changed: dict[str, str] = {}
    home: dict[str, str] = {}
    extra_source: str = ""
    components: tuple[str, ...] = ("main",)
    database: dict[str, str] = {}
    """Packages of a family without archives here: name to version."""
    configs: dict[str, tuple[str, str, str]] = {}
    """Their config files: path to package, shipped text and text as it stands."""
    licence_days: int = 0
    live: Live | None = None
    way_back: tuple[DemoWayBack, ...] = ()
    """Oldest first."""


class DemoNote(msgspec.Struct):
    """A field note that stands in the demo from the beginning."""

    leg: str
    machine: str
    severity: str
    text: str
    workaround: str = ""


class DemoFleet(msgspec.Struct):
    """The demo's machines in their order, and their field notes."""

    station: str
    machine: tuple[DemoMachine, ...]
    note: tuple[DemoNote, ...] = ()


_READY = "ready"
"""The file that is put down when all of the fleet is there."""


def demo_folder() -> Path:
    """Where the demo fleet lives."""
    return state_folder() / "demo"


def demo_fleet() -> DemoFleet:
    """The demo's machines as described, built or not."""
    text = files("brave_bridge.data").joinpath("demo/fleet.toml").read_text(encoding="utf-8")
    return msgspec.toml.decode(text, type=DemoFleet)


def _distribution() -> world.Distribution:
    text = files("brave_bridge.data").joinpath("demo/quayside.toml").read_text(encoding="utf-8")
    return msgspec.toml.decode(text, type=world.Distribution)


def open_demo(name: str) -> StandInMachine:
    """A machine of the demo fleet, which is built if it is not there; MachineError if unknown."""
    known = [machine.name for machine in demo_fleet().machine]
    if name not in known:
        raise MachineError("opening the demo machine", name, f"the fleet has {', '.join(known)}")
    build_demo(demo_folder())
    return open_stand_in(demo_folder() / name, name)


def is_built(folder: Path) -> bool:
    """Whether the demo fleet is there as a whole."""
    return (folder / _READY).exists()


def build_demo(
    folder: Path,
    *,
    fresh: bool = False,
    pace: float = DEMO_PACE_SECONDS,
    tell: Callable[[str], None] = lambda text: None,
) -> None:
    """Build the demo fleet below a folder unless it is there; ``fresh`` builds it anew."""
    if is_built(folder) and not fresh:
        return
    # Named from one further up: no link is followed in the place of our own folder.
    above = folder.parent
    place = Beneath(above.parent, f"{above.name}/{folder.name}")
    place.above.make_folder()
    with place.beside(f".{folder.name}.lock").opened_to_change() as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if is_built(folder) and not fresh:
            return
        place.remove_all()
        place.make_new_folder()
        tell("archives")
        keys = _build_archives(folder)
        for machine in demo_fleet().machine:
            tell(machine.name)
            _build_machine(folder, machine, keys, pace)
        _write_notes(folder)
        (folder / _READY).touch()


def _write_notes(folder: Path) -> None:
    """What the station's people learnt before."""
    notes = open_notes(FolderState("this fleet", folder))
    try:
        for note in demo_fleet().note:
            notes.write(note.leg, note.machine, note.severity, note.text, note.workaround)
    finally:
        notes.close()


def _build_archives(folder: Path) -> dict[str, bytes]:
    from brave_bridge.machines.standin.signing import make_key

    line = _line("quayside")
    vendor_key, vendor_sign = make_key("Quayside archive <archive@quayside.example>")
    other_key, other_sign = make_key("Estuary Instruments <support@estuary.example>")
    world.write_vendor_archive(
        folder / "archives/quayside", _distribution(), releases_by_suite(line), vendor_sign
    )
    world.write_third_party_archive(folder / "archives/instruments", other_sign)
    return {"quayside": vendor_key, "estuary": other_key}


def _line(identifier: str) -> ReleaseLine:
    return next(line for line in all_lines() if line.id == identifier)


def releases_by_suite(line: ReleaseLine) -> dict[str, dict[str, str]]:
    """The os-release values of every release of the made-up deb line, by suite."""
    return {
        release.suite: world.release_values(release.version, release.codename)
        for release in line.releases
    }


def _build_machine(
    folder: Path, described: DemoMachine, keys: dict[str, bytes], pace: float
) -> None:
    root = folder / described.name
    root.mkdir()
    machine = StandInMachine(described.name, root)
    for way_back in described.way_back:
        if way_back.release:
            had = tuple(way_back.instead.get(name, name) for name in described.packages)
            then = msgspec.structs.replace(described, release=way_back.release, packages=had)
            _furnish(folder, machine, then, keys, pace)
            take_demo_way_back(machine, way_back)
            clear_but_state(root)
    _furnish(folder, machine, described, keys, pace)
    for way_back in described.way_back:
        if not way_back.release:
            take_demo_way_back(machine, way_back)


def _furnish(
    folder: Path,
    machine: StandInMachine,
    described: DemoMachine,
    keys: dict[str, bytes],
    pace: float,
) -> None:
    """Everything that stands on a machine of that release."""
    machine.files.write("/etc/hostname", f"{described.name}\n".encode())
    if described.packages:
        suite = _line(described.line).release(described.release).suite
        build_quayside(machine, described, suite, keys, world.VENDOR_URI)
    else:
        _build_other(folder / described.name, machine, described)
    for path, text in described.home.items():
        machine.files.write(path, text.encode())
    archives = str(folder / "archives")
    world.write_settings(
        machine,
        {world.VENDOR_PREFIX: archives, world.THIRD_PARTY_PREFIX: archives},
        pace,
    )
    if described.live is not None:
        live.boot(folder / described.name, msgspec.structs.replace(described.live))
    if described.packages:
        world.refresh(machine)


def build_quayside(
    machine: StandInMachine, described: DemoMachine, suite: str, keys: dict[str, bytes], uri: str
) -> None:
    """Install a Quayside system with its sources, keys and changed config files."""
    offered = {
        package.name: package
        for package in _distribution().packages_of(suite, releases_by_suite(_line("quayside")))
    }
    third_party = world.third_party_package()
    offered[third_party.name] = third_party
    world.install_root(machine, [offered[name] for name in described.packages], described.held)
    world.write_keys(machine, keys)
    source = world.Source(uri, suite, described.components)
    world.write_sources(machine, source, described.extra_source)
    for path, text in described.changed.items():
        machine.files.write(path, text.encode())


def _build_other(root: Path, machine: StandInMachine, described: DemoMachine) -> None:
    """A system of a family that cannot cross yet: who it is, its packages, a kernel."""
    line = _line(described.line)
    release = line.release(described.release)
    values = {
        "PRETTY_NAME": f"{line.name} {release.version}",
        "NAME": line.name,
        "ID": line.os_ids[0],
        "VERSION_ID": release.version,
        **({"VARIANT": described.edition} if described.edition else {}),
        **({"IMAGE_ID": described.profile} if described.profile else {}),
    }
    text = "".join(f'{name}="{value}"\n' for name, value in values.items())
    machine.files.write("/usr/lib/os-release", text.encode())
    (root / "etc").mkdir(exist_ok=True)
    (root / "etc/os-release").symlink_to("../usr/lib/os-release")
    kernel = described.live.kernel if described.live else "6.6.0-1"
    machine.files.write(f"/boot/vmlinuz-{kernel}", b"kernel image\n" * 64)
    write_other_root(line.family, machine, described.database, described.configs)
    if described.profile:
        _build_image_system(machine, described)
    if described.edition:
        _build_licensed_system(machine, described)


def _build_image_system(machine: StandInMachine, described: DemoMachine) -> None:
    """An image system, and a bundle of the release ahead on its own storage."""
    from brave_bridge.machines.standin import images
    from brave_bridge.machines.standin.signing import make_detached_key

    line = images.image_line()
    key, sign = make_detached_key(line.key)
    images.write_image_system(machine, line, described.release, described.profile, key)
    for version in described.bundles:
        content = images.bundle_of(line, version, sign)
        machine.files.write(f"/srv/pool/bundles/{line.line}-{version}.bundle", content)


def _build_licensed_system(machine: StandInMachine, described: DemoMachine) -> None:
    """A licensed system, and the media that lie in it."""
    from brave_bridge.machines.standin import licensed
    from brave_bridge.machines.standin.signing import make_detached_key

    line = licensed.licensed_line(described.line)
    key, sign = make_detached_key("Halyard <releases@halyard.example>")
    licensed.write_licensed_system(
        machine,
        line,
        described.release,
        described.edition,
        days=described.licence_days,
        programs=list(described.programs),
        key=key,
    )
    for medium in described.media:
        told = {"languages": list(medium.languages)}
        licensed.write_medium(machine, medium.folder, line, medium.release, sign, told)

"""Machines of a real release made up at random, and apt's own answers about them.

Indices are fetched once from this machine's own mirror and kept. Nothing is installed: a
machine is a package database that apt itself has worked out.
"""

import hashlib
import lzma
import os
import random
import subprocess
import urllib.request
from email.utils import formatdate
from functools import cache
from pathlib import Path

import msgspec

from brave_bridge.core.formats.apt_output import ChangeSummary, change_summary
from brave_bridge.core.formats.packages.deb_index import DebIndex, index_of
from brave_bridge.core.formats.packages.deb_package import package_version
from brave_bridge.core.planning.checker import Meaning, faults_of
from brave_bridge.core.planning.package_plan import PackagePlan
from brave_bridge.core.planning.universe import Universe
from brave_bridge.families.deb.archive import DebArchive
from brave_bridge.families.deb.policy import Origin, Policy
from brave_bridge.families.deb.system import installed_packages
from tests.support import lab

RELEASES = ("bullseye", "bookworm", "trixie")
SUITES = {"bullseye": "oldoldstable", "bookworm": "oldstable", "trixie": "stable"}
VERSIONS = {"bullseye": "11.11", "bookworm": "12.12", "trixie": "13.2"}
FOLDER = lab.CACHE / "indices"
NATIVE, FOREIGN = "amd64", "i386"


def index_file(release: str, architecture: str = NATIVE) -> Path:
    """The main index of a release, fetched where it is not here yet."""
    path = FOLDER / f"{release}_main_{architecture}_Packages"
    if not path.exists():
        FOLDER.mkdir(parents=True, exist_ok=True)
        address = f"{lab.mirrors()[0]}/dists/{release}/main/binary-{architecture}/Packages.xz"
        with urllib.request.urlopen(address, timeout=120) as answer:
            content = lzma.decompress(answer.read())
        new = path.with_suffix(f".{os.getpid()}")
        new.write_bytes(content)
        new.rename(path)
    return path


@cache
def indices_of(release: str, architectures: tuple[str, ...] = (NATIVE,)) -> list[DebIndex]:
    """The main index of a release for each of these architectures; read once."""
    return [index_of(index_file(release, a).read_bytes(), NATIVE, release) for a in architectures]


class AptWorld:
    """apt over a folder of its own, with the indices of one release or several."""

    def __init__(
        self, folder: Path, *releases: str, architectures: tuple[str, ...] = (NATIVE,)
    ) -> None:
        self.folder = folder
        self.architectures = architectures
        for name in ("etc/preferences.d", "state/lists/partial", "cache/archives/partial"):
            (folder / name).mkdir(parents=True, exist_ok=True)
        lines = []
        for release in releases:
            suite = folder / "archive" / release / "dists" / release
            for architecture in architectures:
                place = suite / f"main/binary-{architecture}"
                place.mkdir(parents=True)
                (place / "Packages").symlink_to(index_file(release, architecture))
            (suite / "Release").write_text(_release_text(release, architectures))
            lines.append(f"deb [trusted=yes] file:{folder}/archive/{release} {release} main\n")
        (folder / "etc/sources.list").write_text("".join(lines))
        (folder / "etc/status").write_bytes(b"")
        self.config = folder / "etc/apt.conf"
        self.config.write_text(
            _CONFIG.format(
                folder=folder,
                native=NATIVE,
                every=" ".join(f'"{a}";' for a in architectures),
            )
        )
        self.apt("update", check=True)

    def apt(
        self,
        *words: str,
        status: Path | None = None,
        marks: Path | None = None,
        check: bool = False,
    ) -> subprocess.CompletedProcess:
        """apt-get's answer; ``status`` is the package database, ``marks`` its extended states."""
        options = []
        if status:
            options += ["-o", f"Dir::State::status={status}"]
        if marks:
            options += ["-o", f"Dir::State::extended_states={marks}"]
        return subprocess.run(
            ["apt-get", *options, *words],
            capture_output=True,
            text=True,
            check=check,
            env={**os.environ, "APT_CONFIG": str(self.config), "LC_ALL": "C"},
            stdin=subprocess.DEVNULL,
            timeout=600,
        )

    def changes(self, *words: str, status: Path, marks: Path | None = None) -> ChangeSummary:
        """What apt says it would change."""
        done = self.apt("--verbose-versions", "--assume-no", *words, status=status, marks=marks)
        if done.returncode not in (0, 1) or "E: " in done.stderr.replace("E: Trivial Only", ""):
            raise RuntimeError(done.stdout[-500:] + done.stderr[-1500:])
        return change_summary(done.stdout)


def _release_text(release: str, architectures: tuple[str, ...]) -> str:
    sums = []
    for architecture in architectures:
        path = index_file(release, architecture)
        with open(path, "rb") as stream:
            digest = hashlib.file_digest(stream, "sha256").hexdigest()
        sums.append(f" {digest} {path.stat().st_size} main/binary-{architecture}/Packages\n")
    return (
        f"Origin: Debian\nLabel: Debian\nSuite: {SUITES[release]}\nCodename: {release}\n"
        f"Version: {VERSIONS[release]}\nDate: {formatdate(usegmt=True)}\n"
        f"Architectures: {' '.join(architectures)}\nComponents: main\nSHA256:\n{''.join(sums)}"
    )


def origin_of(release: str) -> Origin:
    """What pins tell the index of a release by."""
    return Origin(
        suite=SUITES[release],
        codename=release,
        version=VERSIONS[release],
        origin="Debian",
        label="Debian",
        component="main",
    )


_CONFIG = """Dir "{folder}";
Dir::Etc "{folder}/etc";
Dir::Etc::sourceparts "/nowhere";
Dir::State "{folder}/state";
Dir::State::status "{folder}/etc/status";
Dir::Cache "{folder}/cache";
Dir::Bin::methods "/usr/lib/apt/methods";
Dir::Bin::solvers "/usr/lib/apt/solvers";
Dir::Bin::planners "/usr/lib/apt/planners";
Dir::Bin::dpkg "/usr/bin/dpkg";
APT::Architecture "{native}";
APT::Architectures {{ {every} }};
APT::Sandbox::User "root";
Acquire::Languages "none";
Debug::NoLocking "1";
"""


class Machine(msgspec.Struct, frozen=True):
    """A made-up machine: its package database and apt's marks, as files."""

    status: Path
    marks: Path
    architectures: tuple[str, ...] = (NATIVE,)

    def universe(self, *releases: str) -> Universe:
        """All that may stand on it with the indices of these releases."""
        found = list(installed_packages(self.status.read_bytes(), self.marks.read_text(), NATIVE))
        indices = [
            (index, Origin(suite=release))
            for release in releases
            for index in indices_of(release, self.architectures)
        ]
        present = {one.package.slot: one.package for one in found}
        return Universe(found, DebArchive(indices, Policy(), self.architectures, present))


class Worlds:
    """apt over each release, and machines of the first, in a folder."""

    def __init__(self, folder: Path, architectures: tuple[str, ...] = (NATIVE,)) -> None:
        self.folder = folder
        self.architectures = architectures
        self._worlds: dict[str, AptWorld] = {}
        self._machines: dict[tuple[int, int], Machine] = {}
        self.indices = indices_of("bullseye", architectures)

    def of(self, release: str) -> AptWorld:
        """apt with the index of a release."""
        if release not in self._worlds:
            self._worlds[release] = AptWorld(
                self.folder / release, release, architectures=self.architectures
            )
        return self._worlds[release]

    def machine(self, size: int, seed: int, *, spoilt: bool = False) -> Machine:
        """A machine made up at random; a spoilt one has foreign packages and mixed releases."""
        if (size, seed) not in self._machines:
            place = self.folder / f"machine-{size}-{seed}"
            made = make_machine(self.of("bullseye"), self.indices, place, size, seed)
            if spoilt:
                spoil(made, random.Random(seed))
            self._machines[size, seed] = made
        return self._machines[size, seed]


def after(machine: Machine, plan: PackagePlan, *releases: str, name: str = "after") -> Machine:
    """The machine as a plan over these releases leaves it; ``name`` tells it from others."""
    indices = [i for release in releases for i in indices_of(release, machine.architectures)]
    before = {_slot_of(text): text for text in machine.status.read_bytes().strip().split(b"\n\n")}
    place = machine.status.parent / name
    place.mkdir(exist_ok=True)
    stanzas, marks = [], []
    for slot, version in sorted(plan.after.items()):
        one = plan.before.get(slot)
        if one is not None and one.package is version:
            stanzas.append(before[slot])
        else:
            stanzas.append(_installed(_stanza_of(indices, slot, version.version), b"install"))
        if one is None or not one.by_hand:
            marks.append(_automatic(slot))
    (place / "status").write_bytes(b"\n\n".join(stanzas) + b"\n\n")
    (place / "extended_states").write_text("\n".join(marks) + "\n")
    return Machine(place / "status", place / "extended_states", machine.architectures)


def _stanza_of(indices: list[DebIndex], slot: str, version: str) -> bytes:
    line = f"\nVersion: {version}\n".encode()
    name = slot.partition(":")[0]
    return next(
        text
        for index in indices
        for text in index.stanzas(name)
        if line in text and _slot_of(text) == slot
    )


def _slot_of(stanza: bytes) -> str:
    """As the planner names what a stanza describes: with its architecture where it is foreign."""
    return package_version(b"\n" + stanza, NATIVE)[0].slot


def _automatic(slot: str) -> str:
    """apt's mark for a package that came with others."""
    name, _, architecture = slot.partition(":")
    return f"Package: {name}\nArchitecture: {architecture or NATIVE}\nAuto-Installed: 1\n"


def _installed(stanza: bytes, want: bytes) -> bytes:
    first, rest = stanza.split(b"\n", 1)
    return first + b"\nStatus: " + want + b" ok installed\n" + rest


def spoil(machine: Machine, chance: random.Random) -> None:
    """Add packages of nobody's archive that need what is there, and make some newer already."""
    stanzas = machine.status.read_bytes().strip().split(b"\n\n")
    names = [_slot_of(text) for text in stanzas]
    libraries = [name for name in names if name.startswith("lib")] or names
    for number in range(chance.randint(0, 4)):
        needs = ", ".join(chance.sample(libraries, min(3, len(libraries))))
        stanzas.append(
            f"Package: wave-gauge-{number}\nStatus: install ok installed\nPriority: optional\n"
            f"Section: misc\nArchitecture: {NATIVE}\nVersion: 1.{number}\nDepends: {needs}".encode()
        )
    newer = indices_of("bookworm")[0]
    content = b"\n\n".join(stanzas)
    stand = {one.package.slot: one.package for one in installed_packages(content, "", NATIVE)}
    for place in chance.sample(range(len(names)), len(names) // 20):
        name = names[place]
        if name in newer and b" hold ok" not in stanzas[place]:
            trial = {**stand, name: newer.versions(name)[0]}
            if not list(faults_of(trial, Meaning())):
                stand = trial
                stanzas[place] = _installed(newer.stanzas(name)[0], b"install")
    machine.status.write_bytes(b"\n\n".join(stanzas) + b"\n\n")


def make_machine(
    world: AptWorld, indices: list[DebIndex], folder: Path, size: int, seed: int
) -> Machine:
    """A machine of the world's release with about ``size`` packages, as apt would install them."""
    index, *foreign = indices
    others = [_own_libraries(other) for other in foreign]
    chance = random.Random(seed)
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "none").touch()
    names = sorted(index.names())
    wanted = [name for name in names if _is_base(index, name)]
    base = world.changes("install", *wanted, status=folder / "none")
    chosen = {row.name: row.new for row in base.new}
    size = max(size, len(chosen))
    step = max(1, size // 12)
    for _ in range(40):
        more = [name for name in chance.sample(names, step) if _is_usual(index, name)]
        for names_of_other in others:
            more += chance.sample(names_of_other, max(1, step // 4))
        try:
            summary = world.changes("install", *wanted, *more, status=folder / "none")
        except RuntimeError:
            summary = None
        if summary is None or len(summary.new) > size * 1.1:
            step = max(1, step // 2)
            continue
        wanted += more
        chosen = {row.name: row.new for row in summary.new}
        if len(chosen) > size * 0.9:
            break
    made = write_machine(folder, indices, chosen, set(wanted), chance)
    return msgspec.structs.replace(made, architectures=world.architectures)


def _own_libraries(index: DebIndex) -> list[str]:
    """The slots of the libraries of a foreign architecture."""
    return sorted(
        version.slot
        for name in index.names()
        if name.startswith("lib") and _is_usual(index, name)
        for version in index.versions(name)
        if version.together and ":" in version.slot
    )


SMALL = ("apt", "ca-certificates", "openssh-server", "nginx-light", "cron", "rsyslog", "logrotate")
DESKTOP = (
    "task-gnome-desktop",
    "gimp",
    "inkscape",
    "texlive",
    "build-essential",
    "default-jdk",
    "postgresql",
    "apache2",
    "php",
    "mariadb-server",
    "libvirt-daemon-system",
    "r-base",
    "cmake",
)
LARGE = (
    *DESKTOP,
    "task-kde-desktop",
    "docker.io",
    "qemu-system-x86",
    "octave",
    "blender",
    "kdenlive",
    "texlive-latex-extra",
    "golang",
    "rustc",
    "nodejs",
    "python3-scipy",
    "libboost-all-dev",
    "libqt5webengine5",
    "digikam",
    "audacity",
    "scribus",
    "freecad",
    "kicad",
    "ruby",
    "mono-devel",
)


def named_machine(
    world: AptWorld, index: DebIndex, folder: Path, wanted: tuple[str, ...], *, small: bool
) -> Machine:
    """A machine on which these were installed by hand; a small one without recommendations."""
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "none").touch()
    weights = ("required",) if small else ("required", "important")
    base = [n for n in sorted(index.names()) if _weighs(index, n, weights)]
    words = ["--no-install-recommends"] if small else []
    summary = world.changes(*words, "install", *base, *wanted, status=folder / "none")
    chosen = {row.name: row.new for row in summary.new}
    return write_machine(folder, [index], chosen, {*base, *wanted}, random.Random(1), held=0)


def _weighs(index: DebIndex, name: str, weights: tuple[str, ...]) -> bool:
    return any(version.essential or version.weight in weights for version in index.versions(name))


def _is_base(index: DebIndex, name: str) -> bool:
    return _weighs(index, name, ("required", "important"))


def _is_usual(index: DebIndex, name: str) -> bool:
    return not name.endswith(("-dbg", "-dbgsym", "-doc")) and any(
        version.details.section.partition("/")[0] not in ("debug", "doc", "translations")
        for version in index.versions(name)
    )


def write_machine(
    folder: Path,
    indices: list[DebIndex],
    chosen: dict[str, str],
    by_hand: set[str],
    chance: random.Random,
    *,
    held: float = 0.004,
) -> Machine:
    """Write a package database with these versions, that share of them held."""
    stanzas, marks = [], []
    for slot, version in sorted(chosen.items()):
        want = b"hold" if chance.random() < held else b"install"
        stanzas.append(_installed(_stanza_of(indices, slot, version), want))
        if slot not in by_hand:
            marks.append(_automatic(slot))
    (folder / "status").write_bytes(b"\n\n".join(stanzas) + b"\n\n")
    (folder / "extended_states").write_text("\n".join(marks) + "\n")
    return Machine(folder / "status", folder / "extended_states")

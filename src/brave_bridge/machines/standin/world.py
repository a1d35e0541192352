"""Building the made-up world: archives of tiny packages, and stand-ins that have them installed."""

import contextlib
import io
import json
import os
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path

import msgspec

from brave_bridge.core.versions.deb import version_key
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.standin.database import Database
from brave_bridge.machines.standin.fetch import SETTINGS
from brave_bridge.machines.standin.marks import mark
from brave_bridge.machines.standin.packages import PackageFile, Suite, write_archive
from brave_bridge.machines.standin.resolver import clauses

VENDOR_URI = "http://archive.quayside.example/quayside"
VENDOR_PREFIX = "http://archive.quayside.example/"
THIRD_PARTY_PREFIX = "http://packages.estuary.example/"
THIRD_PARTY_ORIGIN = "Estuary Instruments"
GONE = "-"

_MAINTAINER = "Quayside maintainers <packages@quayside.example>"


class PackageRow(msgspec.Struct):
    """One package of the made-up distribution. Tables are keyed by suite."""

    name: str
    about: str
    section: str
    versions: dict[str, str]
    kib: int = 100
    essential: bool = False
    depends: dict[str, str] = {}
    breaks: dict[str, str] = {}
    replaces: dict[str, str] = {}
    section_later: dict[str, str] = {}
    conffiles: dict[str, str] = {}
    conffiles_changed: dict[str, dict[str, str]] = {}
    postinst: str = ""
    postinst_later: dict[str, str] = {}
    kernel: str = ""
    unit: str = ""
    os_release: bool = False


class DriverRow(msgspec.Struct):
    """What kernels drive a device with: the module, its alias, the first series that has it."""

    module: str
    modalias: str
    since: str = "0.0"


class FixSuite(msgspec.Struct):
    """A suite of fixes beside a release: newer versions of some of its packages."""

    name: str
    of: str
    versions: dict[str, str] = {}
    depends: dict[str, str] = {}


class Distribution(msgspec.Struct):
    """The suites of the made-up distribution, oldest first, its fixes and its packages."""

    suites: tuple[str, ...]
    package: tuple[PackageRow, ...]
    fixes: tuple[FixSuite, ...] = ()
    driver: tuple[DriverRow, ...] = ()

    def fixes_of(self, fixes: FixSuite, releases: dict[str, dict[str, str]]) -> list[PackageFile]:
        """What a suite of fixes offers: packages of its release in a newer version."""
        rows = {row.name: row for row in self.package}
        found = []
        for name, version in fixes.versions.items():
            row = rows[name]
            if name in fixes.depends:
                row = msgspec.structs.replace(row, depends={fixes.of: fixes.depends[name]})
            found.append(self._package(row, fixes.of, version, releases))
        return found

    def _latest(self, table: dict, suite: str, default):
        """The value that holds for a suite: that of the newest suite at or before it."""
        upto = self.suites[: self.suites.index(suite) + 1]
        return next((table[name] for name in reversed(upto) if name in table), default)

    def packages_of(self, suite: str, releases: dict[str, dict[str, str]]) -> list[PackageFile]:
        """What a suite offers. ``releases`` maps a suite to its os-release values."""
        found = []
        for row in self.package:
            version = self._latest(row.versions, suite, GONE)
            if version != GONE:
                found.append(self._package(row, suite, version, releases))
        return found

    def _package(self, row: PackageRow, suite: str, version: str, releases) -> PackageFile:
        fields = {
            "Package": row.name,
            "Version": version,
            "Architecture": "amd64",
            "Maintainer": _MAINTAINER,
            "Installed-Size": str(row.kib),
            "Section": self._latest(row.section_later, suite, row.section),
            "Priority": "required" if row.essential else "optional",
        }
        if row.essential:
            fields["Essential"] = "yes"
        relations = (("Depends", row.depends), ("Breaks", row.breaks), ("Replaces", row.replaces))
        for field, table in relations:
            if text := self._latest(table, suite, ""):
                fields[field] = text
        fields["Description"] = row.about
        conffiles = {**row.conffiles, **self._latest(row.conffiles_changed, suite, {})}
        files = {
            f"/usr/share/doc/{row.name}/about": f"{row.name} {version}: {row.about}\n".encode(),
            **{path: text.encode() for path, text in conffiles.items()},
            **_kernel_files(row.kernel, self.driver),
            **_unit_files(row.unit, row.about),
        }
        links = {}
        if row.os_release:
            files["/usr/lib/os-release"] = _os_release_text(releases[suite]).encode()
            links["/etc/os-release"] = "../usr/lib/os-release"
        scripts = {}
        if postinst := self._latest(row.postinst_later, suite, row.postinst):
            text = "#!/bin/sh\nset -e\n" + postinst + "\n"
            scripts["postinst"] = text.encode()
        return PackageFile(fields, files, tuple(conffiles), scripts, links)


def _os_release_text(values: dict[str, str]) -> str:
    return "".join(f'{name}="{value}"\n' for name, value in values.items())


def _kernel_files(version: str, drivers: tuple[DriverRow, ...]) -> dict[str, bytes]:
    """A kernel in the places and the boot entry format of the trade (a Type #1 entry)."""
    if not version:
        return {}
    entry = (
        f"title Quayside, kernel {version}\nversion {version}\n"
        f"linux /vmlinuz-{version}\ninitrd /initrd.img-{version}\noptions root=LABEL=system ro\n"
    )
    built_in = "".join(
        f"{driver.module}.alias={driver.modalias}\0"
        for driver in drivers
        if version_key(version) > version_key(driver.since)
    )
    return {
        f"/usr/lib/modules/{version}/modules.builtin.modinfo": built_in.encode(),
        f"/boot/vmlinuz-{version}": f"kernel image {version}\n".encode() * 64,
        f"/boot/initrd.img-{version}": f"initial file system {version}\n".encode() * 64,
        f"/boot/config-{version}": b"CONFIG_MODULES=y\nCONFIG_TIDE_GAUGE=m\n",
        f"/boot/loader/entries/quayside-{version}.conf": entry.encode(),
    }


def _unit_files(unit: str, about: str) -> dict[str, bytes]:
    """A service in systemd's own place and words (systemd.service(5))."""
    if not unit:
        return {}
    text = f"[Unit]\nDescription={about}\n\n[Service]\nExecStart=/usr/sbin/{unit}\n"
    return {f"/usr/lib/systemd/system/{unit}.service": text.encode()}


def release_values(version: str, codename: str) -> dict[str, str]:
    """The os-release values of a Quayside release."""
    return {
        "PRETTY_NAME": f"Quayside {version} ({codename})",
        "NAME": "Quayside",
        "ID": "quayside",
        "VERSION_ID": version,
        "VERSION_CODENAME": codename,
    }


def write_vendor_archive(
    folder: Path,
    distribution: Distribution,
    releases: dict[str, dict[str, str]],
    sign: Callable[[str], str],
) -> None:
    """Write the distribution's archive with all its suites."""
    suites = {
        suite: Suite(
            "Quayside",
            releases[suite]["VERSION_CODENAME"],
            releases[suite]["VERSION_ID"],
            tuple(distribution.packages_of(suite, releases)),
        )
        for suite in distribution.suites
    }
    for fixes in distribution.fixes:
        values = releases[fixes.of]
        codename = f"{values['VERSION_CODENAME']}-security"
        packages = tuple(distribution.fixes_of(fixes, releases))
        suites[fixes.name] = Suite("Quayside", codename, values["VERSION_ID"], packages)
    write_archive(folder, suites, sign)


def third_party_package(version: str = "2.4-1", needs: str = "libtide1 (>= 1.4)") -> PackageFile:
    """The instrument maker's agent: the old one, built for a library that goes, or another."""
    fields = {
        "Package": "estuary-agent",
        "Version": version,
        "Architecture": "amd64",
        "Maintainer": "Estuary Instruments <support@estuary.example>",
        "Installed-Size": "7400",
        "Section": "science",
        "Priority": "optional",
        "Depends": needs,
        "Description": "sends gauge readings to the instrument maker",
    }
    files = {
        "/etc/estuary-agent.conf": b"station 0\ninterval 60\n",
        "/usr/share/doc/estuary-agent/about": f"estuary-agent {version}\n".encode(),
        **_unit_files("estuary-agent", "sends gauge readings"),
    }
    return PackageFile(fields, files, ("/etc/estuary-agent.conf",))


def write_third_party_archive(folder: Path, sign: Callable[[str], str]) -> None:
    """Write the instrument maker's archive: no suite named for what comes after 5.3, but one
    for whatever is newest."""
    suites = {
        "bowline-5.3": Suite(THIRD_PARTY_ORIGIN, "bowline-5.3", "1", (third_party_package(),)),
        "stable": Suite(
            THIRD_PARTY_ORIGIN, "stable", "3", (third_party_package("3.1-1", "libtide2 (>= 2.0)"),)
        ),
    }
    write_archive(folder, suites, sign)


def install_root(
    machine: FolderMachine, packages: Iterable[PackageFile], held: Iterable[str] = ()
) -> None:
    """Install packages into an empty root, as if they had always been there."""
    machine.files.write("/var/lib/dpkg/arch", b"amd64\n")
    for name in ("etc", "home", "tmp", "var/log", "var/lib/apt/lists/partial", "proc", "usr/sbin"):
        (machine.root / name).mkdir(parents=True, exist_ok=True)
    (machine.root / "tmp").chmod(0o1777)
    database = Database(machine, saves_at_once=False)
    chosen = list(packages)
    for package in chosen:
        database.unpack(package)
    for package in chosen:
        database.configure(package.name, True, lambda text: None)
    for name in held:
        database.stanzas[name]["Status"] = "hold ok installed"
    mark(machine, set(_came_with_others(chosen)), "auto")
    database.write()


def _came_with_others(packages: list[PackageFile]) -> Iterator[str]:
    """The packages that nobody had to ask for: essential ones, and what others need."""
    texts = (package.fields.get("Depends", "") for package in packages)
    needed = {row[0] for text in texts for clause in clauses(text) for row in clause}
    for package in packages:
        if package.name in needed or package.fields.get("Essential") == "yes":
            yield package.name


class Source(msgspec.Struct, frozen=True):
    """A source of the distribution."""

    uri: str
    suite: str
    components: tuple[str, ...]


def write_keys(machine: FolderMachine, keys: dict[str, bytes]) -> None:
    """Put keys where they hold for every source, each under its name."""
    for name, key in keys.items():
        machine.files.write(f"/etc/apt/trusted.gpg.d/{name}.asc", key)


def write_sources(machine: FolderMachine, source: Source, extra: str) -> None:
    """Write the sources: the distribution's in stanza notation, a third party's in lines."""
    machine.files.write(
        "/etc/apt/sources.list.d/quayside.sources",
        "# Quayside, from the station's mirror\nTypes: deb\n"
        f"URIs: {source.uri}\nSuites: {source.suite}\n"
        f"Components: {' '.join(source.components)}\n".encode(),
    )
    if extra:
        machine.files.write(
            "/etc/apt/sources.list.d/estuary.list",
            f"# gauge software, see the service contract\n{extra}".encode(),
        )


def write_settings(machine: FolderMachine, archives: dict[str, str], pace: float) -> None:
    """Write what the stand-in knows of its world."""
    content = json.dumps({"archives": archives, "pace_seconds": pace}).encode()
    machine.files.write(SETTINGS, content)
    os.chmod(machine.state.folder, 0o700)


def refresh(machine: FolderMachine) -> None:
    """Let the stand-in fetch its indices, as if somebody had looked for updates lately."""
    from brave_bridge.machines.standin.apt import AptGet

    with contextlib.redirect_stdout(io.StringIO()):
        AptGet(machine, ["update"]).run()

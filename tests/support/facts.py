"""Facts and plans made by hand for the core's tests."""

from datetime import date

import msgspec

from brave_bridge.core.formats.accounts import Account
from brave_bridge.core.formats.apt_sources import SourceFile, entries
from brave_bridge.core.formats.fstab import ExpectedMount
from brave_bridge.core.formats.installed_package import InstalledPackage
from brave_bridge.core.formats.proc import Mount
from brave_bridge.core.formats.systemd import Unit
from brave_bridge.core.packages.changes import PackageChange, PackageChanges
from brave_bridge.core.packages.updates import Offer
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.steps import (
    ConfigQuestion,
    ConfigsStep,
    PackagesStep,
    SourceOutcome,
    SourcesStep,
)
from brave_bridge.core.releases.route import find_route
from brave_bridge.core.survey.activity import Activity, Clock, Session
from brave_bridge.core.survey.facts import (
    ArchiveSeen,
    Evidence,
    Facts,
    Identity,
    KeyFile,
    Licence,
)
from brave_bridge.core.survey.platform import Boot, Hardware, Kernel, Power, Space
from brave_bridge.workbench.lines import all_lines

TODAY = date(2026, 11, 25)
OLD_SOURCES = SourceFile(
    "/etc/apt/sources.list", "deb http://a.example/quayside bowline-5.3 main\n"
)
NEW_SOURCES = SourceFile("/etc/apt/sources.list", "deb http://a.example/quayside diamond main\n")


def package(name: str, version: str = "1", **changes) -> InstalledPackage:
    """An installed package."""
    made = InstalledPackage(
        name=name,
        version=version,
        architecture="amd64",
        want="install",
        state="installed",
        fault="ok",
        essential=False,
        priority="optional",
        section="admin",
        installed_kib=10,
        conffiles={},
    )
    return msgspec.structs.replace(made, **changes)


TOPICS = (
    "identity",
    "packages",
    "sources",
    "configs",
    "set-aside",
    "indices",
    "boot",
    "kernels",
    "fstab",
    "mounts",
    "disks",
    "hardware",
    "power",
    "services",
    "ports",
    "sessions",
    "guests",
    "clock",
    "stale",
    "restart",
    "accounts",
    "locale",
    "licence",
    "history",
    "dates",
    "databases",
)


def facts(**changes) -> Facts:
    """Facts of a healthy Quayside 5.3 machine."""
    source = changes.pop("sources_file", OLD_SOURCES)
    boot = Boot(
        kernel="5.19.0-4",
        command_line="root=/dev/sda2 ro panic=30",
        settings="panic=30",
        firmware="efi",
        uptime_seconds=1000,
        id="a",
    )
    made = Facts(
        machine="petrel",
        kind="stand-in",
        taken_at="2026-11-25T12:00:00+00:00",
        identity=Identity("quayside", "Quayside 5.3", "5.3", "bowline", "amd64"),
        packages=(
            package("quay-libc", "2.31-7"),
            package("quay-webd", "1.18", depends="quay-libc (>= 2.31)"),
        ),
        source_files=(source,),
        sources=tuple(entries(source)),
        archives=(
            ArchiveSeen(
                "http://a.example/quayside",
                "bowline-5.3",
                "Quayside",
                "bowline",
                "5.3",
                "Tue, 24 Nov 2026 08:00:00 UTC",
                ("SHA256",),
            ),
        ),
        changed_configs=(),
        set_aside=(),
        space=(Space("/", 50_000_000_000, 100_000_000_000, 1_000_000, 6_000_000),),
        kernels=(Kernel("5.19.0-4", "/boot/vmlinuz-5.19.0-4", 8_000_000, True, 60_000_000),),
        tools={"quay-libc": "2.31-7"},
        evidence=tuple(Evidence(topic, f"where {topic} was read", "") for topic in TOPICS),
        boot=boot,
        hardware=Hardware(
            flags=frozenset(V2_FLAGS.split()),
            level="x86-64-v2",
            memory_bytes=8 << 30,
            security_chip="version 2",
            power=Power(False, 90),
        ),
        mounts=(Mount("/", "/dev/sda2", "ext4", "rw"),),
        expected_mounts=(ExpectedMount("/", "/dev/sda2", "ext4"),),
        activity=Activity(
            units=(Unit("a.service", "active"),),
            clock=Clock(True, "Etc/UTC"),
            sessions=(Session("watch", "wayland"),),
        ),
        accounts=(Account("root", "2026-01-01"),),
        offers=(
            Offer("quay-libc", "2.31-7", "bowline-5.3"),
            Offer("quay-webd", "1.18", "bowline-5.3"),
        ),
        key_files=(KeyFile("/etc/apt/trusted.gpg.d/quayside.asc", 900),),
        licence=Licence("Harbour", "2027-11-25"),
    )
    return msgspec.structs.replace(made, **changes)


V2_FLAGS = "cmov cx8 fpu fxsr mmx syscall sse sse2 lm cx16 lahf_lm popcnt pni sse4_1 sse4_2 ssse3"


def quayside():
    """The made-up deb line."""
    return next(line for line in all_lines() if line.id == "quayside")


def leg():
    """Quayside 5.3 to 7."""
    line = quayside()
    return find_route(line, line.release("5.3"), line.release("7"), TODAY).legs[0]


def change(name: str, old: str = "1", new: str = "2", **more) -> PackageChange:
    """One package's change."""
    return PackageChange(name, old, new, "newer in diamond", 100, 1000, **more)


def plan(**changes) -> LegPlan:
    """A plan of that leg."""
    step = PackageChanges(
        upgraded=(change("quay-libc"), change("quay-webd", by_hand=True)),
        new=(change("libtls3", ""),),
        removed=(change("libtls1", "1", ""),),
        first_stage=("quay-webd",),
        obsolete=("old-lib",),
    )
    named = set(PackageChanges.__struct_fields__) & changes.keys()
    step = msgspec.structs.replace(step, **{name: changes.pop(name) for name in named})
    outcome = SourceOutcome(
        "/etc/apt/sources.list",
        1,
        "http://a.example/quayside",
        "bowline-5.3",
        "diamond",
        "renamed",
        "",
    )
    asked = (ConfigQuestion("/etc/quay-webd/webd.conf", "quay-webd", "dpkg"),)
    made = LegPlan(
        leg=leg(),
        steps=(
            SourcesStep(
                outcomes=changes.pop("sources", (outcome,)),
                files=changes.pop("source_files", (NEW_SOURCES,)),
                before=(OLD_SOURCES,),
            ),
            PackagesStep(changes=step),
            ConfigsStep(questions=changes.pop("questions", asked)),
        ),
        made_at="2026-11-25T12:00:00+00:00",
    )
    return msgspec.structs.replace(made, **changes)

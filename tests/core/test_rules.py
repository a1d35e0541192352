"""Every rule of the survey: what it finds wrong, and that it finds nothing else wrong."""

from datetime import date
from pathlib import Path

import msgspec
import pytest

from brave_bridge.core.boot.entries import BootEntry, Loader, LoaderFault
from brave_bridge.core.boot.loader_faults import BLOCK, INITRD
from brave_bridge.core.estimate import Estimate, Window
from brave_bridge.core.field_notes import FieldNote
from brave_bridge.core.formats.accounts import Account
from brave_bridge.core.formats.apt_preferences import Pin
from brave_bridge.core.formats.apt_sources import SourceFile
from brave_bridge.core.formats.distro_info import ReleaseDates
from brave_bridge.core.formats.fstab import ExpectedMount
from brave_bridge.core.formats.guests import Guest
from brave_bridge.core.formats.paused_sources import waiting_note
from brave_bridge.core.formats.proc import Mount
from brave_bridge.core.formats.systemd import Unit
from brave_bridge.core.images.system import Image, ImageSystem, Slot, Slots
from brave_bridge.core.kernels.kernel_package import FOLLOWS, KernelPackage
from brave_bridge.core.kernels.series_hold import OWN_NAME
from brave_bridge.core.licensed.system import (
    Edition,
    KeptSystem,
    LicenceState,
    LicensedSystem,
    System,
)
from brave_bridge.core.packages.updates import Offer
from brave_bridge.core.releases.catalogue import Keyring, LegRule, Product, Release, ReleaseLine
from brave_bridge.core.releases.conditions import FULL, KnownIssue, Needs, SupportPhase
from brave_bridge.core.releases.open_legs import ARCHITECTURE, STATE, ClosedLeg
from brave_bridge.core.survey.activity import Activity, Clock, Session, StaleProgram
from brave_bridge.core.survey.databases import DatabaseCluster
from brave_bridge.core.survey.difference import survey_difference
from brave_bridge.core.survey.facts import ArchiveSeen, ChangedConfig, Identity, KeyFile, Licence
from brave_bridge.core.survey.findings import (
    Link,
    OpenLegSeen,
    Situation,
    Verdict,
    WayBackSeen,
    WaysBackSeen,
    judge_all,
    stops,
    worst,
)
from brave_bridge.core.survey.interpreter import Interpreter
from brave_bridge.core.survey.manager_settings import (
    PreferredRelease,
    SettingAgainst,
    SettingNaming,
)
from brave_bridge.core.survey.platform import (
    BuiltKernel,
    Device,
    Disk,
    Kernel,
    Module,
    Power,
    Space,
)
from brave_bridge.core.survey.products import ProductSeen
from brave_bridge.core.survey.rule_book import rule_book
from brave_bridge.core.survey.rules import all_rules
from brave_bridge.core.survey.usr_layout import UsrLayout
from brave_bridge.families.deb.family import FAMILY
from tests.support.facts import TODAY, change, facts, leg, package, plan, quayside

LINE = quayside()
HEALTHY = facts()


def situation(**changes) -> Situation:
    """A healthy machine's situation, with changes to it or, by the same word, to its facts."""
    known = {
        "today": TODAY,
        "line": LINE,
        "release": LINE.release("5.3"),
        "legs": (plain_leg(),),
        "way_back": WayBackSeen("2026-11-24"),
        "backup_confirmed": "2026-11-20",
        "settings_backup": "2026-11-24",
        "ways_back": WaysBackSeen(card="fresh"),
        "manager": FAMILY.manager,
    }
    known.update(
        {
            k: changes.pop(k)
            for k in list(changes)
            if k in Situation.__struct_fields__ and k != "facts"
        }
    )
    return Situation(facts=facts(**changes), **known)


def plain_leg(**needs):
    """The leg to 7 without its known issues, to a release that needs this."""
    end = msgspec.structs.replace(leg().end, needs=Needs(**needs))
    return msgspec.structs.replace(leg(), issues=(), keyring=None, end=end)


def keys_from(version: str) -> dict:
    """A leg that wants the library to have brought its keys."""
    wanted = Keyring("quay-libc", version)
    return {"legs": (msgspec.structs.replace(plain_leg(), keyring=wanted),)}


CLUSTER = DatabaseCluster(
    "PostgreSQL", "13", "main", "/var/lib/postgresql/13/main", "/etc/postgresql/13/main/x", "5432"
)
FIXES = msgspec.structs.replace(
    LINE, security_suites=("{codename}-security",), trial_suites=("{codename}-proposed",)
)


def past_support(**changes) -> dict:
    """A release whose support has ended."""
    ended = msgspec.structs.replace(LINE.release("5.3"), support_ends=date(2026, 10, 1))
    return {"release": ended, **changes}


def closed_by(cause: str) -> dict:
    """A leg that is closed to the machine."""
    reason = {ARCHITECTURE: "7 does not exist for amd64", STATE: "it asks for 5.4, this is 5.3"}
    return {"closed": (ClosedLeg(leg().start, leg().end, cause, reason[cause]),)}


def menu(*faults: LoaderFault) -> Loader:
    entry = BootEntry("new", "6.6", id="new", image="/boot/vmlinuz-6.6")
    return Loader("grub", (entry,), "new", remembers="/boot/grub/grubenv", faults=faults)


def held_at(series: str, version: str) -> dict:
    """A machine whose kernels are held at a series by us."""
    needs = (f"quay-linux-image-{version}",)
    package = KernelPackage("quay-linux", version, f"{version}-1", FOLLOWS, needs=needs)
    place = f"/etc/apt/preferences.d/{OWN_NAME}"
    pin = Pin(place, "quay-linux", f"version {series}.*", 990)
    return {"kernel_packages": (package,), "pins": (pin,)}


def judged(**changes):
    return judge_all(situation(**changes), all_rules())


def source(text: str) -> dict:
    return {"sources_file": SourceFile("/etc/apt/sources.list", text + "\n")}


def boot(**changes) -> dict:
    return {"boot": msgspec.structs.replace(HEALTHY.boot, **changes)}


def hardware(**changes) -> dict:
    return {"hardware": msgspec.structs.replace(HEALTHY.hardware, **changes)}


def activity(**changes) -> dict:
    return {"activity": msgspec.structs.replace(HEALTHY.activity, **changes)}


def archive(**changes) -> dict:
    return {"archives": (msgspec.structs.replace(HEALTHY.archives[0], **changes),)}


def issue(severity: str) -> dict:
    known = KnownIssue("x", "The web server forgets", severity=severity, packages=("quay-w*",))
    return {"legs": (msgspec.structs.replace(plain_leg(), issues=(known,)),)}


def note(severity: str) -> dict:
    return {"notes": (FieldNote(3, plain_leg().key, "dunlin", severity, "The gauge is lost"),)}


CLEAR, STOP, CAUTION = Verdict.CLEAR, Verdict.STOP, Verdict.CAUTION
NOT_APPLICABLE = Verdict.NOT_APPLICABLE


def phases(kind: str, until: int, year: int = 0) -> dict:
    """A release that is in a phase of its support."""
    told = (SupportPhase(FULL, date(2026, 1, 1)), SupportPhase(kind, date(until, 1, 1)))
    release = msgspec.structs.replace(LINE.release("5.3"), phases=told)
    return {"release": release, **({"today": date(year, 8, 1)} if year else {})}


OTHER = Identity("quayside", "", "5.9", "", "amd64")
LONG = Estimate(9000, 6000, 20000, "a guess")


def ways(**seen) -> dict:
    """Something around the ways back of a healthy machine."""
    return {"ways_back": WaysBackSeen(**{"card": "fresh", **seen})}


def product(with_base: bool = False, held: tuple[str, ...] = (), **end) -> dict:
    """A product on the machine whose release 1 stands on 5.3 alone, and a leg to its release 2."""
    releases = (Release("1", "1", "", bases=("5.3",)), Release("2", "2", "", **end))
    line = ReleaseLine(
        "gauge",
        "Gauge",
        "deb",
        (),
        "in order",
        releases,
        (LegRule("1", "2", with_base=with_base),),
        product=Product("quayside", ("quay-webd",)),
    ).as_scale
    packages = tuple(
        msgspec.structs.replace(package, want="hold") if package.name in held else package
        for package in HEALTHY.packages
    )
    seen = ProductSeen(line, "1.18", line.releases[0])
    return {"products": (seen,), "packages": packages}


def image_system(other: str = "empty", build: str = "8.4-2") -> ImageSystem:
    slots = (Slot("a", "good", "8.4", "8.4-2", "full"), Slot("b", other, "8.5", "8.5-1", "full"))
    return ImageSystem(Image("8.4", build, "full"), Slots("a", "a", slots))


def licensed(edition: str, licence: str, *, kept: str = "", gone: str = "") -> LicensedSystem:
    """A licensed system of an edition, with a licence for one that waits for its activation."""
    editions = (Edition("trial", "Trial"), Edition("crew", "Crew", "CR"))
    return LicensedSystem(
        System("4", "4.0.1", edition, editions=editions),
        LicenceState(licence, activation="waiting"),
        kept=KeptSystem("10", "10.0", kept, "2026-11-17", gone=gone) if kept else None,
    )


CASES = [
    ("product-base", STOP, "Gauge 1 does not stand on Quayside 7", product(bases=("5.3", "7"))),
    ("product-base", STOP, "Gauge 1 does not stand on Quayside 7", product(bases=("9",))),
    (
        "product-base",
        CAUTION,
        "goes to 2 with the leg, but quay-webd is held",
        product(with_base=True, held=("quay-webd",), bases=("7",)),
    ),
    ("product-base", CLEAR, "Gauge 1 goes to 2 with the leg", product(with_base=True)),
    ("product-base", CLEAR, "Gauge 1 stands on Quayside", {**product(), "legs": ()}),
    ("known-release", STOP, "not in the catalogue", {"line": None, "release": None}),
    ("known-release", STOP, "5.9", {"release": None, "identity": OTHER}),
    ("support-window", CAUTION, "no security fixes", {"today": date(2027, 6, 1)}),
    ("support-window", CAUTION, "days of support left", {"today": date(2027, 4, 1)}),
    ("support-window", CAUTION, "those alone who pay, until 2030", phases("paid", 2030, 2027)),
    ("support-window", CLEAR, "security fixes alone", phases("security", 2028)),
    ("support-window", CLEAR, "by others, for chosen packages", phases("long-term", 2028)),
    (
        "support-window",
        NOT_APPLICABLE,
        "no known end",
        {"release": LINE.release("9"), **source("deb http://a.example/quayside fisherman main")},
    ),
    ("kernel-support", CAUTION, "36 days of fixes", boot(kernel="5.10.0-9")),
    ("kernel-support", CAUTION, "no fixes for", {"today": date(2027, 5, 30)}),
    ("kernel-support", NOT_APPLICABLE, "4.4", boot(kernel="4.4.1")),
    (
        "built-kernel",
        CAUTION,
        "lacks 1 option",
        {"built": (BuiltKernel("5.19.0-4", 7, "/proc/config.gz", ("TIDE is off",)),)},
    ),
    (
        "built-kernel",
        CLEAR,
        "all 7 protected options",
        {"built": (BuiltKernel("5.19.0-4", 7, "/proc/config.gz"),)},
    ),
    ("kernel-series", CAUTION, "7 diamond has 6.6, which stays away", held_at("5.19", "5.19.4")),
    (
        "kernel-series",
        CAUTION,
        "no fixes since 2026-12-31",
        {"today": date(2027, 1, 10), **held_at("5.10", "5.10.9")},
    ),
    ("kernel-series", CLEAR, "as it was decided", {"legs": (), **held_at("5.19", "5.19.4")}),
    ("catalogue-age", CAUTION, "looked up 100 days ago", {"today": date(2027, 2, 28)}),
    ("licence-end", CAUTION, "23 days left", {"licence": Licence("Trial", "2026-12-18")}),
    ("licence-end", STOP, "ended", {"licence": Licence("Trial", "2026-11-01")}),
    (
        "pending-updates",
        STOP,
        "1 update pending, 1 of them security",
        {"offers": (*HEALTHY.offers, Offer("quay-libc", "2.31-8", "bowline-5.3-security"))},
    ),
    ("restart-pending", STOP, "restart is pending", activity(restart_wanted=True)),
    ("image-slots", STOP, "is not what runs: build", {"image": image_system(build="8.4-1")}),
    ("image-slots", CAUTION, "Slot b is on trial", {"image": image_system("trial")}),
    ("activation", STOP, "its licence is for Trial", {"licensed": licensed("crew", "trial")}),
    ("activation", CAUTION, "Crew is not activated yet", {"licensed": licensed("crew", "crew")}),
    (
        "kept-system",
        CAUTION,
        "2 days left to go back to 10",
        {"licensed": licensed("crew", "crew", kept="2026-11-27")},
    ),
    (
        "kept-system",
        CAUTION,
        "The kept system 10 is gone",
        {"licensed": licensed("crew", "crew", kept="2026-11-27", gone="disk-tidy removed it")},
    ),
    (
        "past-system",
        STOP,
        "in its system as of 20261127-leg-4",
        {"boot": msgspec.structs.replace(HEALTHY.boot, past="20261127-leg-4")},
    ),
    ("past-system", CLEAR, "runs its own system", {}),
    (
        "newer-kernel",
        CAUTION,
        "5.19.0-7 is installed",
        {"kernels": (*HEALTHY.kernels, Kernel("5.19.0-7", "/boot/x", 9))},
    ),
    (
        "newer-kernel",
        CAUTION,
        "came up with 5.19.0-4, though its menu takes 6.6",
        {
            "loader": menu(),
            "kernels": (
                *HEALTHY.kernels,
                Kernel("6.6", "/boot/x", 9, installed_at="2026-11-20T10:00:00+00:00"),
            ),
            **boot(booted_at="2026-11-24T10:00:00+00:00"),
        },
    ),
    ("stale-indices", CAUTION, "never fetched", {"archives": ()}),
    ("stale-indices", CAUTION, "days ago", archive(date="Tue, 25 Aug 2026 08:00:00 UTC")),
    (
        "stale-indices",
        CAUTION,
        "older than 7 diamond",
        archive(date="Tue, 17 Feb 2026 08:00:00 UTC"),
    ),
    (
        "release-table",
        CAUTION,
        "does not know 7 diamond",
        {"release_dates": (ReleaseDates("5.3", "Bowline", "bowline"),)},
    ),
    (
        "stale-indices",
        CLEAR,
        "5.3 bowline is closed",
        past_support(**archive(date="Tue, 25 Aug 2026 08:00:00 UTC")),
    ),
    (
        "stale-indices",
        CLEAR,
        "92 days old",
        {"line": FIXES, **archive(date="Tue, 25 Aug 2026 08:00:00 UTC")},
    ),
    (
        "stale-indices",
        CLEAR,
        "asked on 2026-11-20 and have nothing newer",
        {
            "refreshed_at": "2026-11-20T08:00:00+00:00",
            **archive(date="Tue, 25 Aug 2026 08:00:00 UTC"),
        },
    ),
    ("security-source", CAUTION, "No source has the security fixes", {"line": FIXES}),
    ("security-source", NOT_APPLICABLE, "no fixes any more", past_support(line=FIXES)),
    (
        "security-source",
        CLEAR,
        "Fixes of security faults come",
        {"line": FIXES, **source("deb http://a.example/quayside bowline-5.3-security main")},
    ),
    (
        "trial-sources",
        CAUTION,
        "1 source on trial",
        {
            "line": FIXES,
            **source(
                "deb http://a.example/quayside bowline-5.3 main\n"
                "deb http://a.example/quayside bowline-5.3-proposed main"
            ),
        },
    ),
    (
        "broken-packages",
        STOP,
        "half installed",
        {"packages": (*HEALTHY.packages, package("a", state="half-configured"))},
    ),
    (
        "missing-dependencies",
        STOP,
        "1 dependency not met",
        {"packages": (*HEALTHY.packages, package("b", depends="quay-libc (>= 3) | gone"))},
    ),
    ("held-packages", CAUTION, "held", {"packages": (package("quay-libc", "9", want="hold"),)}),
    (
        "held-packages",
        STOP,
        "cannot come along",
        {
            "packages": (package("quay-libc", "9", want="hold"),),
            "plan": plan(kept_back=(change("quay-libc"), change("quay-webd"))),
        },
    ),
    ("unknown-origin", CAUTION, "no source has", {"packages": (package("own-tool"),)}),
    (
        "newer-than-sources",
        CAUTION,
        "newer than in any source",
        {"packages": (package("quay-libc", "9"),)},
    ),
    (
        "newer-than-sources",
        CAUTION,
        "newer than in 7 diamond",
        {"plan": plan(ahead=(change("own-tool", "3", "2"),))},
    ),
    ("moving-alias", CAUTION, "alias", source("deb http://a.example/quayside stable main")),
    (
        "moving-alias",
        NOT_APPLICABLE,
        "rolling",
        {"line": msgspec.structs.replace(LINE, rolling=True)},
    ),
    (
        "mixed-releases",
        STOP,
        "another release",
        source(
            "deb http://a.example/quayside bowline-5.3 main\n"
            "deb http://a.example/quayside diamond main"
        ),
    ),
    (
        "mixed-releases",
        STOP,
        "another release",
        {"pins": (Pin("/etc/apt/preferences", "*", "release n=diamond", 990),)},
    ),
    (
        "holding-pins",
        STOP,
        "holds every package at 5.3 bowline",
        {"pins": (Pin("/etc/apt/preferences", "*", "release n=bowline-5.3, o=Quayside", 990, 4),)},
    ),
    (
        "holding-pins",
        STOP,
        "holds every package at 5.3 bowline",
        {"pins": (Pin("/etc/apt/preferences", "*", "release n=diamond", -1),)},
    ),
    (
        "holding-pins",
        CAUTION,
        "1 pin on packages of 5.3 bowline: quay-webd",
        {"pins": (Pin("/etc/apt/preferences.d/web", "quay-webd", "version 1.18*", 1001, 2),)},
    ),
    (
        "manager-settings",
        CAUTION,
        "told to prefer bowline-5.3",
        {"preferred_release": PreferredRelease("bowline-5.3", "Prefers", "/etc/x:3")},
    ),
    (
        "manager-settings",
        CAUTION,
        "1 setting of what works by itself name",
        {"settings_naming": (SettingNaming('"codename=bowline"', "/etc/x:4"),)},
    ),
    (
        "usr-layout",
        STOP,
        "the root is an overlay",
        {
            "usr_layout": UsrLayout(("/bin", "/lib")),
            "mounts": (Mount("/", "overlay", "overlay"),),
            "legs": (plain_leg(merged_usr=True),),
        },
    ),
    (
        "usr-layout",
        STOP,
        "Files stand in a top folder and otherwise in /usr",
        {
            "usr_layout": UsrLayout(("/bin",), ("/bin/tides",)),
            "legs": (plain_leg(merged_usr=True),),
        },
    ),
    (
        "usr-layout",
        CAUTION,
        "/bin are folders of their own",
        {"usr_layout": UsrLayout(("/bin",)), "legs": (plain_leg(merged_usr=True),)},
    ),
    ("usr-layout", CLEAR, "lead into /usr", {"legs": (plain_leg(merged_usr=True),)}),
    (
        "script-interpreters",
        CAUTION,
        "lamp2.7 goes away",
        {
            "interpreters": (Interpreter("lamp2.7", "/usr/bin/lamp2.7", ("/opt/t/bin/x",)),),
            "plan": plan(removed=(change("lamp2.7", new=""),)),
        },
    ),
    (
        "script-interpreters",
        CLEAR,
        "What runs the scripts here stays: quay-lang2",
        {"interpreters": (Interpreter("quay-lang2", "/usr/bin/quay-lang2", ("/opt/t/bin/x",)),)},
    ),
    (
        "manager-settings",
        CAUTION,
        "1 setting of the package manager",
        {"settings_against": (SettingAgainst("Purge", "/etc/x:3", "more would go"),)},
    ),
    (
        "manager-settings",
        CLEAR,
        "No setting",
        {"preferred_release": PreferredRelease("stable", "Prefers", "/etc/x:3")},
    ),
    (
        "holding-pins",
        CLEAR,
        "No pin holds packages",
        {
            "pins": (
                Pin("/etc/apt/preferences", "*", "release v=5.3", 500),
                Pin("/etc/apt/preferences", "*", "release n=bowline-backports", 990),
            )
        },
    ),
    (
        "unsigned-sources",
        CAUTION,
        "switched off",
        source("deb [trusted=yes] http://a.example/quayside bowline-5.3 main"),
    ),
    ("unsigned-sources", STOP, "no active", source("# none")),
    ("source-keys", STOP, "key of a source is missing", {"key_files": ()}),
    ("lost-lists", CAUTION, "list of files is gone of 2 packages", {"unlisted": ("tar", "grep")}),
    (
        "unknown-owners",
        STOP,
        "belong to somebody who is not here",
        {"unknown_owners": ("/var/lib/dpkg/statoverride:3: user nobodyknows",)},
    ),
    (
        "source-keys",
        STOP,
        "vouches for nothing any more",
        {"key_files": (KeyFile(HEALTHY.key_files[0].path, 9, ends="2026-11-01"),)},
    ),
    (
        "source-keys",
        STOP,
        "vouches for nothing any more",
        {"key_files": (KeyFile(HEALTHY.key_files[0].path, 9, fault="every key was revoked"),)},
    ),
    (
        "source-keys",
        CLEAR,
        "Every source has its key",
        {"key_files": (*HEALTHY.key_files, KeyFile("/etc/apt/trusted.gpg", 9, ends="2020-01-01"))},
    ),
    ("release-keys", STOP, "quay-libc 2.31-7, the leg needs 2.31-10", keys_from("2.31-10")),
    ("release-keys", CLEAR, "has the keys of the next release", keys_from("2.31-7")),
    (
        "source-keys",
        STOP,
        "key of a source is missing",
        source("deb [signed-by=/k.gpg] http://a.example/quayside bowline-5.3 main"),
    ),
    ("database-clusters", CAUTION, "PostgreSQL 13 main has no server", {"clusters": (CLUSTER,)}),
    (
        "database-clusters",
        CAUTION,
        "PostgreSQL 13 main gets no fixes",
        {
            "clusters": (CLUSTER,),
            "packages": (*HEALTHY.packages, package("postgresql-13"), package("postgresql-15")),
        },
    ),
    (
        "database-clusters",
        CLEAR,
        "PostgreSQL 13 main holds data",
        {
            "clusters": (CLUSTER,),
            "packages": (*HEALTHY.packages, package("postgresql-13")),
            "offers": (*HEALTHY.offers, Offer("postgresql-13", "1", "bowline-5.3")),
        },
    ),
    (
        "unread-sources",
        CAUTION,
        "Nothing was ever fetched",
        source(
            "deb http://a.example/quayside bowline-5.3 main\n"
            "deb http://a.example/quayside bowline-5.3-updates main"
        ),
    ),
    ("unread-sources", CAUTION, "could not be reached", {"failed_sources": ("Err:1 a.example",)}),
    ("third-party-sources", CAUTION, "outside", archive(origin="Elsewhere")),
    ("obsolete-formats", CAUTION, "obsolete", archive(digests=("MD5Sum", "SHA1"))),
    (
        "obsolete-formats",
        CAUTION,
        "obsolete",
        {"key_files": (*HEALTHY.key_files, KeyFile("/etc/apt/trusted.gpg", 9))},
    ),
    (
        "changed-configs",
        CAUTION,
        "changed here",
        {"changed_configs": (ChangedConfig("/etc/a", "a", "dpkg", "0"),)},
    ),
    (
        "paused-sources",
        CAUTION,
        "1 source commented out until",
        source(
            "deb http://a.example/quayside bowline-5.3 main\n"
            f"# deb http://b.example/x bowline-5.3 x  # {waiting_note('5.3 bowline')}"
        ),
    ),
    ("set-aside", CAUTION, "not merged", {"set_aside": ("/etc/a.dpkg-dist",)}),
    ("boot-settings", CAUTION, "changed by hand", {"boot_files_changed": ("/boot/config.txt",)}),
    (
        "boot-settings",
        CAUTION,
        "changed by hand: /etc/default/grub",
        {
            "changed_configs": (ChangedConfig("/etc/default/grub", "grub", "ucf", "0"),),
            "boot_settings_in": ("/etc/default/grub",),
        },
    ),
    ("boot-settings", CAUTION, "no file has", boot(command_line="root=/dev/sda2 ro nosmt")),
    (
        "boot-entries",
        STOP,
        "initrd.img-6.6 is not in /boot",
        {"loader": menu(LoaderFault(INITRD, "new: initrd.img-6.6 is not in /boot", True, "6.6"))},
    ),
    (
        "boot-entries",
        CAUTION,
        "grubenv is damaged",
        {"loader": menu(LoaderFault(BLOCK, "/boot/grub/grubenv is damaged: it has 9 bytes"))},
    ),
    (
        "boot-mounted",
        STOP,
        "/boot is not mounted",
        {"expected_mounts": (ExpectedMount("/boot", "/dev/sda1", "ext4"),)},
    ),
    (
        "boot-space",
        STOP,
        "No room",
        {"space": (*HEALTHY.space, Space("/boot", 50_000_000, 500_000_000, 90_000, 90_000))},
    ),
    ("boot-space", NOT_APPLICABLE, "No kernel", {"kernels": ()}),
    ("free-space", CAUTION, "Only", {"space": (Space("/", 10**9, 10**10, 1),)}),
    ("free-space", STOP, "Only", {"space": (Space("/", 10**8, 10**10, 1),), "plan": plan()}),
    ("free-space", CAUTION, "nearly full", {"space": (Space("/", 3 * 10**9, 10**11, 1),)}),
    ("free-inodes", STOP, "more files fit", {"space": (Space("/", 10**11, 10**11, 9, 999_999),)}),
    (
        "processor-level",
        STOP,
        "needs a processor of level x86-64-v3",
        {"legs": (plain_leg(processor="x86-64-v3"),)},
    ),
    ("memory-size", STOP, "needs 16384 MiB", {"legs": (plain_leg(memory_mib=16384),)}),
    (
        "firmware-mode",
        STOP,
        "needs EFI",
        {"legs": (plain_leg(firmware="efi"),), **boot(firmware="bios")},
    ),
    (
        "secure-start",
        STOP,
        "Secure start is off",
        {"legs": (plain_leg(secure_start=True),), **boot(secure_boot=False)},
    ),
    ("disk-size", STOP, "hold the system", {"legs": (plain_leg(disk_mib=1 << 30),)}),
    (
        "security-chip",
        STOP,
        "No security chip",
        {"legs": (plain_leg(security_chip=True),), **hardware(security_chip="")},
    ),
    ("architecture", STOP, "does not exist for amd64", closed_by(ARCHITECTURE)),
    ("leg-conditions", STOP, "this is 5.3", closed_by(STATE)),
    (
        "disk-health",
        STOP,
        "sda (Quay 2): it says of itself",
        {"disks": (Disk("sda", 1 << 40, "Quay 2", health="failing"),)},
    ),
    (
        "disk-health",
        STOP,
        "sdb: the kernel calls it offline",
        {"disks": (Disk("sdb", 1 << 40, state="offline"),)},
    ),
    ("disk-health", CLEAR, "1 disk without", {"disks": (Disk("sda", 1 << 40, state="running"),)}),
    ("disk-health", NOT_APPLICABLE, "No disk tells", {"disks": (Disk("vda", 1 << 40),)}),
    ("power-source", CAUTION, "On battery, 71", hardware(power=Power(True, 71))),
    ("power-source", STOP, "On battery, 12", hardware(power=Power(True, 12))),
    ("power-source", STOP, "On battery, 39", hardware(power=Power(True, 39))),
    ("power-source", CAUTION, "On battery, 40", hardware(power=Power(True, 40))),
    ("foreign-modules", CAUTION, "1 driver", hardware(modules=(Module("gauge", "dkms", "1"),))),
    (
        "undriven-devices",
        CAUTION,
        "docking station",
        {
            "release": LINE.release("5.1"),
            "today": date(2026, 1, 1),
            **source("deb http://a.example/quayside bowline-5.1 main"),
            **hardware(devices=(Device("2-1", "usb:v1209pD0C5d01", ""),)),
        },
    ),
    ("failed-services", CAUTION, "1 service failing", activity(units=(Unit("b", "failed"),))),
    (
        "stale-programs",
        CAUTION,
        "replaced files",
        activity(stale=(StaleProgram(7, "webd", "/usr/lib/a.so"),)),
    ),
    (
        "running-guests",
        CAUTION,
        "1 guest at work",
        activity(guests=(Guest("a", "libvirt", "running"), Guest("b", "libvirt", "shut off"))),
    ),
    ("clock", CAUTION, "not synchronised", activity(clock=Clock(False))),
    ("clock", NOT_APPLICABLE, "Nobody tells", activity(clock=Clock())),
    ("remote-session", CAUTION, "over SSH", {"link": Link("SSH", "192.0.2.1")}),
    ("logged-in", CAUTION, "2 sessions", activity(sessions=(Session("a"), Session("b")))),
    ("session-type", STOP, "type wayland", {"legs": (plain_leg(session_types=("x11",)),)}),
    ("changed-passwords", CAUTION, "root", {"accounts": (Account("root", "2026-11-25"),)}),
    ("way-back", CAUTION, "no way back", {"way_back": None, "accounts": ()}),
    ("way-back", CAUTION, "41 days", {"way_back": WayBackSeen("2026-10-15")}),
    ("way-back", NOT_APPLICABLE, "not known", {"records_are_readable": False}),
    (
        "way-back-end",
        CAUTION,
        "2 days left",
        {"way_back": WayBackSeen("2026-11-24", ends="2026-11-27T09:00:00+00:00")},
    ),
    (
        "way-back-end",
        CLEAR,
        "19 days left",
        {"way_back": WayBackSeen("2026-11-24", ends="2026-12-14T09:00:00+00:00")},
    ),
    ("damaged-way-back", CAUTION, "s-1 cannot", ways(damaged=(("s-1", "a flipped bit"),))),
    (
        "damaged-state",
        CAUTION,
        "decisions.json could not be read",
        {"damaged_state": (("/var/lib/brave-bridge/decisions.json", "a flipped bit"),)},
    ),
    ("damaged-state", NOT_APPLICABLE, "not known", {"records_are_readable": False}),
    ("damaged-way-back", NOT_APPLICABLE, "not known", {"records_are_readable": False}),
    (
        "open-leg",
        STOP,
        "5.3 to 7 is not whole",
        {"open_leg": OpenLegSeen("5.3 to 7", "stage one", "a fault", "s-1")},
    ),
    (
        "unread-services",
        STOP,
        "did not answer in time",
        {"kind": "running", "activity": Activity(unread=("systemctl",))},
    ),
    ("unread-services", NOT_APPLICABLE, "does not run", {"kind": "tree"}),
    ("own-runtime", STOP, "No runtime", {"kind": "running", "no_runtime": "5 bytes are missing"}),
    ("own-runtime", CLEAR, "can be made", {"kind": "running"}),
    ("own-runtime", NOT_APPLICABLE, "does not run on", {}),
    ("open-leg", NOT_APPLICABLE, "not known", {"records_are_readable": False}),
    ("cut-off-return", STOP, "s-1 was cut off", ways(cut_off="s-1")),
    ("recovery-card", CAUTION, "No recovery card", ways(card="none")),
    ("recovery-card", CAUTION, "does not fit", ways(card="stale")),
    ("recovery-card", NOT_APPLICABLE, "not known", ways(card="")),
    ("uncovered-mounts", STOP, "/var", ways(uncovered=(("/var", "left out by hand"),))),
    ("uncovered-mounts", CAUTION, "/srv", ways(uncovered=(("/srv", "not known"),))),
    ("data-backup", CAUTION, "Nobody has confirmed", {"backup_confirmed": ""}),
    ("data-backup", CAUTION, "days old", {"backup_confirmed": "2026-08-01"}),
    ("settings-backup", CAUTION, "no archive", {"settings_backup": ""}),
    ("settings-backup", CAUTION, "days old", {"settings_backup": "2026-11-01"}),
    ("known-issues", CAUTION, "forgets", issue("caution")),
    ("known-issues", STOP, "forgets", issue("wait")),
    ("known-issues", NOT_APPLICABLE, "No leg", {"legs": ()}),
    ("field-notes", CAUTION, "gauge is lost", note("caution")),
    ("field-notes", STOP, "Wait: The gauge", note("wait")),
    (
        "maintenance-window",
        CAUTION,
        "the window is",
        {"window": Window("22:00", 60), "estimate": LONG},
    ),
    ("maintenance-window", NOT_APPLICABLE, "once it is planned", {"window": Window("22:00", 60)}),
]


def test_a_healthy_machine_is_clear():
    grave = [f for f in judged() if f.verdict in (STOP, CAUTION)]
    assert grave == []


def test_every_rule_has_its_case_here():
    assert {case[0] for case in CASES} == {rule.id for rule in all_rules()}
    assert {case[0] for case in CASES if case[1] in (STOP, CAUTION)} == {
        rule.id for rule in all_rules()
    }


@pytest.mark.parametrize(("rule", "verdict", "word", "changes"), CASES)
def test_each_rule_finds_its_fault_and_nothing_else_stops(rule, verdict, word, changes):
    findings = judged(**changes)
    found = next(f for f in findings if f.id == rule and f.verdict is verdict)
    assert word in found.title, found
    assert found.evidence
    if verdict in (STOP, CAUTION):
        assert found.remedy and found.meaning
    assert {f.id for f in stops(findings)} <= {rule}


def test_what_was_not_read_does_not_apply():
    findings = judged(evidence=())
    assert not stops(findings)
    unread = [f for f in findings if f.evidence.startswith("no ")]
    assert {f.id for f in unread} >= {"broken-packages", "clock", "processor-level"}
    assert all(f.verdict is NOT_APPLICABLE for f in unread if "among the facts" in f.evidence)


def test_a_stop_is_overruled_with_a_reason_only_where_its_rule_allows_that():
    changes = {
        "packages": (*HEALTHY.packages, package("a", state="unpacked")),
        **activity(restart_wanted=True),
    }
    reasons = {"broken-packages": "never mind", "restart-pending": "tonight"}
    found = {f.id: f for f in judge_all(situation(**changes), all_rules(), reasons)}
    assert found["restart-pending"].verdict is CAUTION
    assert found["restart-pending"].overruled == "tonight"
    assert found["broken-packages"].verdict is STOP and not found["broken-packages"].overruled
    assert worst(found.values()) is STOP


def test_the_difference_of_two_surveys_names_what_got_worse_first():
    before = judged(**activity(clock=Clock(False)), settings_backup="")
    after = judged(**activity(restart_wanted=True), settings_backup="")
    changes = survey_difference(before, after)
    assert [(c.id, c.is_worse) for c in changes] == [("restart-pending", True), ("clock", False)]
    assert survey_difference(after, after) == ()


def test_an_alias_and_a_mixture_are_different_faults():
    findings = judged(**source("deb http://a.example/quayside testing main"))
    assert {f.id for f in findings if f.verdict is STOP} == set()


def test_a_weak_index_of_an_unknown_kind_is_not_called_obsolete():
    made = ArchiveSeen(
        "http://a.example/quayside",
        "bowline-5.3",
        "Quayside",
        "bowline",
        "5.3",
        "Tue, 24 Nov 2026 08:00:00 UTC",
    )
    found = {f.id: f for f in judged(archives=(made,))}
    assert found["obsolete-formats"].verdict is Verdict.CLEAR


def test_the_page_of_rules_is_that_of_the_rules():
    page = Path(__file__).parents[2] / "docs/rules.md"
    assert page.read_text(encoding="utf-8") == rule_book(all_rules()), "make rules"


def test_what_is_our_own_is_no_finding_about_the_machine():
    ours = package("brave-bridge", "1.0")
    known = {finding.id: finding for finding in judged(packages=(*HEALTHY.packages, ours))}
    assert "brave-bridge" not in known["unknown-origin"].evidence
    unit = Unit("brave-bridge-20261202-120000-crossing.service", "failed", "failed")
    activity = msgspec.structs.replace(HEALTHY.activity, units=(*HEALTHY.activity.units, unit))
    assert {f.id: f for f in judged(activity=activity)}["failed-services"].verdict == CLEAR

"""Regressions put into a machine on purpose: each is found and named, and nothing else is."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta

import pytest

from brave_bridge.core.formats.certificate import certificate_end
from brave_bridge.core.proof.difference import DATA, REGRESSION, SURFACE, UNEXPLAINED
from brave_bridge.core.proof.topics import compare_topics
from brave_bridge.families.registry import baseline
from brave_bridge.machines.standin import live
from brave_bridge.machines.standin.machine import StandInMachine
from tests.support.certificates import certificate

EXPORTS = "/srv/archive 192.0.2.0/24(rw)\n/srv/charts *(ro)\n"
SHARES = "[global]\nworkgroup = TIDE\n[charts]\npath = /srv/charts\n"
ISLA = "isla:x:1001:1001::/home/isla:/bin/sh\n"
CRONTAB = "17 3 * * * root /usr/local/bin/dump-the-tides\n"


def write(machine: StandInMachine, path: str, text: str) -> None:
    machine.files.write(path, text.encode())


def link(machine: StandInMachine, path: str, target: str) -> None:
    place = machine.root / path.lstrip("/")
    place.parent.mkdir(parents=True, exist_ok=True)
    place.unlink(missing_ok=True)
    place.symlink_to(target)


def edit(machine: StandInMachine, path: str, old: str, new: str) -> None:
    text = machine.files.read(path, 1_000_000).decode()
    assert old in text, (path, text)
    write(machine, path, text.replace(old, new))


def changing(change: Callable[[live.Live], None]) -> Callable[[StandInMachine], None]:
    """A seed in what goes on: the kernel's files are written anew after it."""

    def seed(machine: StandInMachine) -> None:
        described = live.load(machine.root)
        change(described)
        live.write_kernel_files(machine.root, described)
        live.save(machine.root, described)

    return seed


def unit(described: live.Live, name: str) -> live.LiveUnit:
    return next(one for one in described.units if one.name == name)


def furnished(machine: StandInMachine) -> None:
    """petrel as a machine that has something of every topic."""

    def more(described: live.Live) -> None:
        described.units += [
            live.LiveUnit("tide-files.service", "Serves the archive"),
            live.LiveUnit("watch.service", "Watches the gauge"),
        ]
        described.enabled = [*described.enabled, "tide-files.service", "watch.service"]
        described.tcp = [22, 80, 445, 5432]
        described.programs = {"tcp 22": "sshd", "tcp 80": "webd", "tcp 445": "tide-files"}
        described.programs["tcp 5432"] = "tidebase"
        described.rules, described.pools = 12, {"tank": "ONLINE"}
        described.mounts = [*described.mounts, "/dev/sdb1 /srv ext4 rw 0 0"]
        described.devices = [live.LiveDevice("usb-1", "usb:v1D6Bp0002", "gauge")]
        described.modules = ["wave_gauge"]
        described.guests = [live.LiveGuest("tide-archive")]
        described.managers = ["libvirt"]
        described.rooms = {"/": live.LiveRoom(mib=10_000, free_mib=5_000)}
        described.synchronised = True

    changing(more)(machine)
    write(machine, "/etc/exports", EXPORTS)
    write(machine, "/etc/samba/smb.conf", SHARES)
    write(machine, "/etc/cron.d/dump", CRONTAB)
    write(machine, "/etc/resolv.conf", "nameserver 192.0.2.53\n")
    write(
        machine, "/etc/passwd", "root:x:0:0::/root:/bin/sh\nisla:x:1001:1001::/home/isla:/bin/sh\n"
    )
    write(machine, "/etc/group", "root:x:0:\nharbour:x:1002:isla,rory\n")
    write(machine, "/usr/share/xsessions/spinnaker.desktop", "[Desktop Entry]\n")
    write(machine, "/etc/letsencrypt/live/tides.example/cert.pem", certificate(days=60))
    link(machine, "/etc/alternatives/editor", "/usr/bin/quill-2")
    link(machine, "/bin/sh", "dash")


def set_of(name: str, value) -> Callable[[StandInMachine], None]:
    return changing(lambda described: setattr(described, name, value))


def unit_off(described: live.Live) -> None:
    unit(described, "watch.service").active = "inactive"


def unit_fails(described: live.Live) -> None:
    unit(described, "tide-files.service").active = "failed"


def not_enabled(described: live.Live) -> None:
    described.enabled = [name for name in described.enabled if name != "watch.service"]


def port_gone(described: live.Live) -> None:
    described.tcp = [port for port in described.tcp if port != 5432]


def unmounted(described: live.Live) -> None:
    described.mounts = [line for line in described.mounts if " /srv " not in line]


def undriven(machine: StandInMachine) -> None:
    (machine.root / "sys/bus/usb/devices/usb-1/driver").unlink()
    set_of("devices", [live.LiveDevice("usb-1", "usb:v1D6Bp0002")])(machine)


def guest_off(described: live.Live) -> None:
    described.guests[0].running = False


SEEDS = {
    "unit off": (changing(unit_off), "watch.service", SURFACE),
    "unit fails": (changing(unit_fails), "tide-files.service", DATA),
    "unit not enabled": (changing(not_enabled), "watch.service", SURFACE),
    "settings refused": (
        set_of("refuses", {"sshd": "/etc/ssh/sshd_config line 5: Bad key types '+ssh-dss'."}),
        "sshd",
        SURFACE,
    ),
    "port gone": (changing(port_gone), "tcp 5432", DATA),
    "port silent": (set_of("silent", [5432]), "tcp 5432", DATA),
    "mount missing": (changing(unmounted), "/srv", DATA),
    "disk fails": (set_of("failing_disks", ["sda"]), "disk sda", DATA),
    "disk gone": (lambda m: m.files.remove_folder("/sys/block/sda"), "disk sda", DATA),
    "export gone": (
        lambda m: edit(m, "/etc/exports", "/srv/charts *(ro)\n", ""),
        "export /srv/charts",
        DATA,
    ),
    "share gone": (
        lambda m: edit(m, "/etc/samba/smb.conf", "[charts]\npath = /srv/charts\n", ""),
        "share charts",
        DATA,
    ),
    "other default program": (
        lambda m: link(m, "/etc/alternatives/editor", "/usr/bin/scribe"),
        "editor",
        SURFACE,
    ),
    "another shell": (lambda m: link(m, "/bin/sh", "zsh"), "sh", SURFACE),
    "lost user": (
        lambda m: edit(m, "/etc/passwd", ISLA, ""),
        "user isla",
        SURFACE,
    ),
    "lost member": (lambda m: edit(m, "/etc/group", "isla,rory", "isla"), "group harbour", SURFACE),
    "driver missing": (undriven, "device usb-1 usb:v1D6Bp0002", SURFACE),
    "module missing": (set_of("modules", []), "module wave_gauge", SURFACE),
    "wrong kernel": (set_of("kernel", "5.4.0-1"), "kernel", SURFACE),
    "time server off": (set_of("synchronised", False), "time", SURFACE),
    "certificate expired": (
        lambda m: write(m, "/etc/letsencrypt/live/tides.example/cert.pem", certificate(days=-1)),
        "/etc/letsencrypt/live/tides.example/cert.pem",
        SURFACE,
    ),
    "firewall open": (set_of("rules", 0), "firewall", SURFACE),
    "firewall lets through": (set_of("policy", "accept"), "inet filter input", SURFACE),
    "pool degraded": (set_of("pools", {"tank": "DEGRADED"}), "pool tank", DATA),
    "pool gone": (set_of("pools", {}), "pool tank", DATA),
    "guest off": (changing(guest_off), "tide-archive (libvirt)", DATA),
    "address lost": (set_of("addresses", {}), "address 192.0.2.10/24", SURFACE),
    "no default route": (set_of("gateway", ""), "default route by 192.0.2.1", SURFACE),
    "name server gone": (
        lambda m: write(m, "/etc/resolv.conf", "\n"),
        "name server 192.0.2.53",
        SURFACE,
    ),
    "job gone": (
        lambda m: m.files.remove("/etc/cron.d/dump"),
        f"/etc/cron.d/dump: {CRONTAB.strip()}",
        DATA,
    ),
    "session gone": (
        lambda m: m.files.remove("/usr/share/xsessions/spinnaker.desktop"),
        "spinnaker (x11)",
        SURFACE,
    ),
    "disk full": (
        set_of("rooms", {"/": live.LiveRoom(mib=10_000, free_mib=90)}),
        "/",
        DATA,
    ),
}


@pytest.fixture
def machine(stand_in) -> StandInMachine:
    made = stand_in("petrel").machine
    furnished(made)
    return made


def compared(machine: StandInMachine, seed) -> list:
    before = baseline(machine, "deb")
    seed(machine)
    return list(compare_topics(before, baseline(machine, "deb"), ()))


@pytest.mark.parametrize("name", SEEDS)
def test_a_seeded_regression_is_found_and_named_and_nothing_else_is(machine, name):
    seed, subject, kind = SEEDS[name]
    worse = [point for point in compared(machine, seed) if point.verdict == REGRESSION]
    assert [(point.subject, point.kind) for point in worse] == [(subject, kind)], worse
    assert worse[0].meaning and worse[0].topic and worse[0].before != worse[0].after


def test_every_topic_is_read_on_it_and_twice_the_same_is_no_difference(machine):
    facts = baseline(machine, "deb")
    assert [topic.name for topic in facts.topics if topic.absent] == []
    assert not [p for p in compared(machine, lambda m: None) if p.verdict != "same"]


def renamed(described: live.Live) -> None:
    unit(described, "tide-files.service").name = "quay-files.service"
    described.programs["tcp 445"] = "quay-files"
    described.enabled = [n.replace("tide-files", "quay-files") for n in described.enabled]


def by_socket(described: live.Live) -> None:
    unit(described, "tide-files.service").active = "inactive"
    described.units.append(live.LiveUnit("tide-files.socket", "Waits for clients"))
    described.enabled.append("tide-files.socket")
    described.programs["tcp 445"] = "systemd"


def moved(described: live.Live) -> None:
    described.tcp = [8080 if port == 80 else port for port in described.tcp]
    described.programs["tcp 8080"] = "webd"


@pytest.mark.parametrize(
    ("change", "subject", "verdict", "words"),
    [
        (renamed, "tide-files.service", "expected", "quay-files.service does its work now"),
        (by_socket, "tide-files.service", "expected", "tide-files.socket waits in its place"),
        (moved, "tcp 80", UNEXPLAINED, "webd listens at tcp 8080 now"),
    ],
)
def test_what_only_changed_its_name_its_place_or_its_kind_is_known(
    machine, change, subject, verdict, words
):
    points = compared(machine, changing(change))
    assert not [point for point in points if point.verdict == REGRESSION], points
    (found,) = [p for p in points if p.subject == subject and p.verdict != "same"]
    assert found.verdict == verdict and words in found.meaning


def test_a_certificate_tells_its_end():
    ends = (datetime.now(UTC) + timedelta(days=60)).date().isoformat()
    assert certificate_end(certificate(days=60)) == ends
    assert certificate_end("-----BEGIN CERTIFICATE-----\nMIIB\n-----END CERTIFICATE-----") == ""
    assert certificate_end("nothing") == ""

"""The facts of a machine, topic by topic, each with where it was read."""

from collections.abc import Iterable

from brave_bridge.core.formats.text import byte_size, counted, plain
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.platform import Disk
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, heading, said, title
from brave_bridge.workbench.record import MachineRecord, Surveyed

COLUMNS = (Column("", 2), Column("fact", 22, firm=True), Column("as read"))
Fact = tuple[str, str]


def facts_page(record: MachineRecord) -> Page:
    """Every topic with its facts; what could not be read says why."""
    if record.surveyed is None:
        return Page("no facts", COLUMNS, (), "The machine has not been read.")
    surveyed = record.surveyed
    rows: list[Row] = []
    for topic, told, facts in _topics(surveyed):
        rows.append(heading(told, len(COLUMNS)))
        why_not = surveyed.facts.why_not(topic)
        if why_not:
            rows.append(_absent_row(topic, told, why_not))
        else:
            rows += [_fact_row(topic, n, fact, surveyed.facts) for n, fact in enumerate(facts)]
    taken = surveyed.facts.taken_at.replace("T", " ")[:16]
    return Page(f"read {taken} UTC, in one pass", COLUMNS, tuple(rows))


def _topics(surveyed: Surveyed) -> Iterable[tuple[str, str, list[Fact]]]:
    facts = surveyed.facts
    return (
        ("identity", "who it is", _identity(surveyed)),
        ("boot", "how it runs", _boot(facts)),
        ("hardware", "what it is made of", _hardware(facts)),
        ("power", "current", _power(facts)),
        (f"{facts.part}s", f"{facts.part}s", _packages(surveyed)),
        ("history", "releases before", [(seen.day, seen.version) for seen in facts.history]),
        (
            "disks",
            "disks",
            [(disk.name, _disk(disk)) for disk in facts.disks],
        ),
        (
            "mounts",
            "file systems",
            [
                (m.path, f"{m.type} on {m.device}{', read-only' if m.is_read_only else ''}")
                for m in facts.mounts
            ],
        ),
        (
            "identity",
            "room",
            [
                (s.path, f"{byte_size(s.free_bytes)} of {byte_size(s.total_bytes)} free")
                for s in facts.space
            ],
        ),
        ("services", "services", _services(facts)),
        ("ports", "listening ports", [(p.title, "") for p in facts.activity.ports]),
        (
            "sessions",
            "people",
            [
                (s.user, f"{s.type} {s.terminal}{' from ' + s.host if s.host else ''}")
                for s in facts.activity.sessions
            ],
        ),
        ("guests", "guests", [(g.name, f"{g.state} ({g.manager})") for g in facts.activity.guests]),
        ("clock", "clock", _clock(facts)),
        (
            "databases",
            "database clusters",
            [(c.title, f"{c.data}{f', port {c.port}' if c.port else ''}") for c in facts.clusters],
        ),
        (
            "licence",
            "licence",
            _licence(facts),
        ),
        *([("components", "programs and media", _brought(facts))] if facts.licensed else []),
        *([("components", "slots", _slots(facts))] if facts.image else []),
    )


def _licence(facts: Facts) -> list[Fact]:
    licence, licensed = facts.licence, facts.licensed
    if licence is None:
        return []
    rows = [("edition", licence.edition), ("until", licence.ends or "without an end")]
    if licensed is not None:
        state = licensed.licence
        rows += [
            ("channel", state.channel),
            ("key", state.shown),
            ("activation", state.activation),
            ("trial mark", "there" if state.trial else "gone"),
            ("it can become", ", ".join(one.title for one in licensed.system.editions if one.mark)),
        ]
    return [row for row in rows if row[1]]


def _brought(facts: Facts) -> list[Fact]:
    """What people installed on a licensed system, what it kept, and the media that it can read."""
    licensed = facts.licensed
    if licensed is None:
        return []
    rows = [(one.name, f"{one.version}, since {one.installed}") for one in licensed.programs]
    rows += [("medium", path) for path in licensed.media]
    if licensed.kept:
        kept = licensed.kept
        rows.append(("kept system", kept.gone or f"{kept.version}, until {kept.until}"))
    return rows


def _slots(facts: Facts) -> list[Fact]:
    """What the slots of an image system hold, and the bundles on its storage."""
    image = facts.image
    if image is None:
        return []
    marks = {image.slots.running: ", runs", image.slots.default: ", every boot takes it"}
    rows = [
        (f"slot {s.name}", f"{s.state} {s.version} {s.profile}{marks.get(s.name, '')}".strip())
        for s in image.slots.slots
    ]
    return rows + [("bundle", path) for path in image.bundles]


def _disk(disk: Disk) -> str:
    """Its size, what it is, and what it says of its health."""
    kind = {True: "turning", False: "solid state", None: ""}[disk.turns]
    health = f"health {disk.health}" if disk.health else ""
    what = f"{byte_size(disk.size_bytes)} {disk.model}".strip()
    return ", ".join(filter(None, (what, kind, disk.illness or health)))


def _identity(surveyed: Surveyed) -> list[Fact]:
    facts, who = surveyed.facts, surveyed.facts.identity
    rows = [
        ("system", who.name or who.os_id),
        ("version", f"{who.version_id} {who.codename}".strip()),
        ("point release", who.point_release),
        ("edition", who.edition),
        ("build", facts.build if facts.part == "component" else who.build),
        ("architecture", who.architecture),
        ("host name", who.hostname),
        ("language", facts.locale or (facts.licensed.system.language if facts.licensed else "")),
        *(("product on it", product.title) for product in surveyed.products),
    ]
    return [row for row in rows if row[1]]


def _boot(facts: Facts) -> list[Fact]:
    boot = facts.boot
    days, rest = divmod(boot.uptime_seconds, 86_400)
    rows = [
        ("kernel", boot.kernel),
        ("command line", boot.command_line),
        ("firmware mode", boot.firmware.upper()),
        (
            "up for",
            f"{days} d {rest // 3600} h, since {boot.booted_at[:16].replace('T', ' ')} UTC"
            if boot.uptime_seconds
            else "",
        ),
        ("kernels in /boot", ", ".join(kernel.version for kernel in facts.kernels)),
    ]
    return [row for row in rows if row[1]]


def _hardware(facts: Facts) -> list[Fact]:
    made = facts.hardware
    rows = [
        ("model", made.model),
        ("processor", f"{made.processor}, {counted(made.processors, 'thread')}"),
        ("level", made.level),
        ("memory", byte_size(made.memory_bytes) if made.memory_bytes else ""),
        ("security chip", made.security_chip),
        *(
            (module.name, f"driver from outside the kernel {module.version}")
            for module in made.modules
        ),
        *(
            (device.path, f"no driver: {device.modalias}")
            for device in made.devices
            if not device.driver
        ),
    ]
    return [row for row in rows if row[1]]


def _power(facts: Facts) -> list[Fact]:
    power = facts.hardware.power
    charge = f", {power.percent} %" if power.percent is not None else ""
    return [("source", ("battery" if power.on_battery else "mains") + charge)]


def _packages(surveyed: Surveyed) -> list[Fact]:
    facts = surveyed.facts
    rows = [
        ("installed", str(len(facts.installed))),
        ("held", ", ".join(package.name for package in facts.held)),
        ("updates pending", str(len(surveyed.updates)) if surveyed.updates else ""),
        *sorted(facts.tools.items()),
    ]
    return [row for row in rows if row[1]]


def _services(facts: Facts) -> list[Fact]:
    units = sorted(facts.activity.units, key=lambda unit: (not unit.has_failed, unit.name))
    return [(unit.name, f"{unit.active} {unit.about}".strip()) for unit in units]


def _clock(facts: Facts) -> list[Fact]:
    clock = facts.activity.clock
    words = {True: "yes", False: "no", None: "not known"}[clock.synchronised]
    return [("synchronised", words), ("zone", clock.zone)]


def _fact_row(topic: str, number: int, fact: Fact, facts: Facts) -> Row:
    name, value = fact
    evidence = facts.evidence_of(topic)
    return Row(
        key=f"{topic}:{number}:{name}",
        cells=("", plain(name), plain(value)),
        why=(
            title(plain(name)),
            *said(plain(value)),
            *([Note("seen", plain(evidence.where))] if evidence else []),
            Note("seen", f"{facts.taken_at[:19].replace('T', ' ')} UTC"),
        ),
    )


def _absent_row(topic: str, told: str, why_not: str) -> Row:
    why = (title(f"{told}: not applicable"), *said(plain(why_not)))
    return Row(f"{topic}:{told}:absent", ("○", "not applicable", plain(why_not)), "quiet", why)

"""What goes on: services, ports, people, guests, replaced files in use, the clock."""

from collections.abc import Iterator

from brave_bridge.core.formats.accounts import Account, read_password_ages
from brave_bridge.core.formats.guests import (
    Guest,
    read_containers,
    read_machinectl_list,
    read_virsh_list,
)
from brave_bridge.core.formats.proc import Port, deleted_files, read_listening
from brave_bridge.core.formats.systemd import (
    Unit,
    read_properties,
    read_session_ids,
    read_unit_files,
    read_units,
)
from brave_bridge.core.formats.text import counted, one_line
from brave_bridge.core.survey.activity import Activity, Clock, Session, StaleProgram
from brave_bridge.core.survey.facts import Evidence
from brave_bridge.machines.queries import Answers, Contents, Names, Query, Seen

UNITS = (
    "systemctl",
    "list-units",
    "--all",
    "--plain",
    "--no-legend",
    "--full",
    "--type=service,timer,socket",
)
UNIT_FILES = (
    "systemctl",
    "list-unit-files",
    "--no-legend",
    "--state=enabled",
    "--type=service,timer,socket",
)
STATE = ("systemctl", "show", "--property=SystemState", "--value")
SESSIONS = ("loginctl", "list-sessions", "--no-legend")
CLOCK = ("timedatectl", "show", "--property=NTPSynchronized", "--property=Timezone")
VIRSH = ("virsh", "--readonly", "list", "--all")
MACHINED = ("machinectl", "list", "--no-legend")
_ROWS = ("ps", "--all", "--format", "{{json .}}")
CONTAINERS = {"podman": ("podman", *_ROWS), "docker": ("docker", *_ROWS)}
MANAGERS = (VIRSH, MACHINED, *CONTAINERS.values())
"""Who is asked for guests and containers."""
_SESSION = ("Name", "Type", "TTY", "Remote", "RemoteHost", "State", "Class")
_NET = {
    "/proc/net/tcp": "tcp",
    "/proc/net/tcp6": "tcp",
    "/proc/net/udp": "udp",
    "/proc/net/udp6": "udp",
}
SHADOW = "/etc/shadow"
QUERIES = (
    Answers((UNITS, UNIT_FILES, STATE, SESSIONS, CLOCK, VIRSH, MACHINED, *CONTAINERS.values())),
    Contents(tuple(_NET), 1_000_000, cut=True),
    Contents((SHADOW,), 1_000_000),
    Contents(("/proc/[0-9]*/maps",), 100_000, containing=(b" (deleted)",)),
    Names(("/run/systemd/system",)),
)
_ASKED = (UNITS, UNIT_FILES, SESSIONS, CLOCK)
_TOO_SLOW = "it did not answer, or not in time: this is not known"
_NOT_RUNNING = "the system is mounted and does not run"
_NO_MANAGER = "no service manager answers: a container, or another way of starting services"


def further(seen: Seen) -> tuple[Query, ...]:
    """The sessions one by one, and the names of programs that use replaced files."""
    queries: list[Query] = []
    identifiers = read_session_ids(seen.answer(*SESSIONS).output)[:200]
    if identifiers:
        queries.append(Answers((show_sessions(identifiers),)))
    stale = [path for path, text in seen.texts("/proc/[0-9]*/maps") if text][:500]
    if stale:
        queries.append(Contents(tuple(path.replace("/maps", "/comm") for path in stale), 64))
    return tuple(queries)


def show_sessions(identifiers: list[str]) -> tuple[str, ...]:
    """The command that describes sessions."""
    return ("loginctl", "show-session", *identifiers, *(f"--property={p}" for p in _SESSION))


def restart_queries(marks: tuple[str, ...]) -> tuple[Query, ...]:
    """The family's own marks of a restart that is wanted (see PackageManager)."""
    return (Contents(marks, 1_000_000, cut=True),) if marks else ()


def read(seen: Seen, runs: bool, marks: tuple[str, ...]) -> tuple[Activity, list[Evidence]]:
    """What goes on, and for each part where it was read or why it could not be.

    ``marks`` are the family's own of a restart that is wanted.
    """
    restart = next((path for path in marks if path in seen.contents), "")
    if not runs:
        topics = ("services", "ports", "sessions", "guests", "stale", "clock", "restart")
        return Activity(), [Evidence(t, "", "", absent=_NOT_RUNNING) for t in topics]
    unread = tuple(dict.fromkeys(command[0] for command in _unread(seen)))
    units = tuple(_clean(unit) for unit in read_units(seen.answer(*UNITS).output))
    sessions, sessions_seen = _sessions(seen)
    guests, guests_seen = _guests(seen)
    clock, clock_seen = _clock(seen)
    ports = tuple(_ports(seen))
    stale = tuple(_stale(seen))
    activity = Activity(
        units=units,
        enabled=tuple(one_line(n, 80) for n in read_unit_files(seen.answer(*UNIT_FILES).output)),
        ports=ports,
        sessions=sessions,
        guests=guests,
        stale=stale,
        clock=clock,
        unread=unread,
        is_starting=seen.answer(*STATE).output.strip() in ("initializing", "starting"),
        restart_wanted=bool(restart),
        restart_wanted_by=tuple(
            dict.fromkeys(
                one_line(n, 80) for path in marks[1:] for n in seen.word(path).splitlines()
            )
        ),
    )
    return activity, [
        Evidence(
            "services",
            " ".join(UNITS[:3]),
            counted(len(units), "unit"),
            absent="" if units else _why_no_units(seen),
        ),
        Evidence(
            "ports",
            "/proc/net/tcp, tcp6, udp, udp6",
            counted(len(ports), "port"),
            absent="" if any(p in seen.contents for p in _NET) else "no network is told of",
        ),
        sessions_seen,
        guests_seen,
        clock_seen,
        Evidence("stale", "/proc/*/maps", counted(len(stale), "program")),
        Evidence("restart", ", ".join(marks[:1]), "wanted" if restart else "not wanted"),
    ]


def _unread(seen: Seen) -> Iterator[tuple[str, ...]]:
    """The questions without an answer; a service manager that is at work has one."""
    is_there = "/run/systemd/system" in seen.found
    for command in _ASKED:
        answer = seen.answer(*command)
        failed = is_there and command in (UNITS, UNIT_FILES) and not answer.ok
        if answer.took_too_long or (failed and not answer.is_not_there):
            yield command


def _why_no_units(seen: Seen) -> str:
    return _TOO_SLOW if UNITS in _unread(seen) else _NO_MANAGER


def _clean(unit: Unit) -> Unit:
    return Unit(one_line(unit.name, 80), unit.active[:20], unit.sub[:20], one_line(unit.about, 80))


def _ports(seen: Seen) -> list[Port]:
    found: dict[str, Port] = {}
    for path, protocol in _NET.items():
        for port in read_listening(seen.text(path) or "", protocol):
            found.setdefault(port.title, port)
    return sorted(found.values(), key=lambda port: (port.protocol, port.number, port.address))


def _sessions(seen: Seen) -> tuple[tuple[Session, ...], Evidence]:
    where = "loginctl list-sessions, show-session"
    listed = seen.answer(*SESSIONS)
    if not listed.ok:
        why = _TOO_SLOW if listed.took_too_long else "no login manager answers"
        return (), Evidence("sessions", where, "", absent=why)
    identifiers = read_session_ids(listed.output)[:200]
    blocks = read_properties(seen.answer(*show_sessions(identifiers)).output)
    sessions = tuple(
        Session(
            user=one_line(block.get("Name", ""), 40),
            type=one_line(block.get("Type", ""), 20),
            terminal=one_line(block.get("TTY", ""), 20),
            host=one_line(block.get("RemoteHost", ""), 60) if block.get("Remote") == "yes" else "",
        )
        for block in blocks
        if block.get("Class", "user") == "user" and block.get("State") != "closing"
    )
    return sessions, Evidence("sessions", where, counted(len(sessions), "session"))


def _guests(seen: Seen) -> tuple[tuple[Guest, ...], Evidence]:
    found, asked = [], []
    readers = {
        VIRSH: read_virsh_list,
        MACHINED: read_machinectl_list,
        **{
            argv: lambda text, name=name: read_containers(text, name)
            for name, argv in CONTAINERS.items()
        },
    }
    for command, reader in readers.items():
        answer = seen.answer(*command)
        if answer.ok:
            asked.append(command[0])
            found += [
                Guest(one_line(g.name, 60), g.manager, one_line(g.state, 40))
                for g in reader(answer.output)
            ]
    absent = "" if asked else "no manager of guests or containers is installed"
    return tuple(found), Evidence("guests", ", ".join(asked), counted(len(found), "guest"), absent)


def _clock(seen: Seen) -> tuple[Clock, Evidence]:
    answer = seen.answer(*CLOCK)
    values = read_properties(answer.output)[:1]
    if not answer.ok or not values:
        why = _TOO_SLOW if answer.took_too_long else "nobody tells whether it is set"
        return Clock(), Evidence("clock", CLOCK[0], "", absent=why)
    synchronised = values[0].get("NTPSynchronized")
    clock = Clock(
        None if synchronised is None else synchronised == "yes",
        one_line(values[0].get("Timezone", ""), 40),
    )
    return clock, Evidence("clock", " ".join(CLOCK[:2]), f"synchronised: {synchronised}")


def _stale(seen: Seen):
    for path, text in seen.texts("/proc/[0-9]*/maps"):
        files = deleted_files(text)
        if files:
            number = path.split("/")[2]
            program = one_line(seen.word(f"/proc/{number}/comm"), 40)
            yield StaleProgram(int(number), program, one_line(files[0], 120))


def accounts(seen: Seen) -> tuple[tuple[Account, ...], Evidence]:
    """The accounts with a password and when it was last changed; needs root."""
    if SHADOW not in seen.contents:
        why = seen.faults.get(SHADOW, "there is no such file")
        return (), Evidence("accounts", SHADOW, "", absent=f"{SHADOW}: {why}")
    found = tuple(
        Account(one_line(account.name, 40), account.changed)
        for account in read_password_ages(seen.text(SHADOW) or "")
    )
    return found, Evidence("accounts", SHADOW, counted(len(found), "password"))

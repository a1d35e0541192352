"""The stand-in's answers to commands that only look, printed as the real ones print them."""

import json
from collections.abc import Callable, Sequence

from brave_bridge.machines.queries import Answer
from brave_bridge.machines.standin.live import Live, LiveGuest

_MISSING = Answer(127, "")


def answer(live: Live, command: Sequence[str]) -> Answer:
    """What a command answers on a machine that runs so; code 127 where it has no such tool."""
    known: dict[str, Callable[[Live, Sequence[str]], Answer]] = {
        "systemctl": _systemctl,
        "loginctl": _loginctl,
        "timedatectl": _timedatectl,
        "virsh": _virsh,
        "machinectl": _machinectl,
        "podman": _containers,
        "docker": _containers,
        "ss": _ss,
        "ip": _ip,
        "nft": _nft,
        "zpool": _zpool,
        "smartctl": _smartctl,
        "sshd": _sshd,
    }
    return known.get(command[0], lambda *_: _MISSING)(live, command)


def _systemctl(live: Live, command: Sequence[str]) -> Answer:
    if not live.units:
        return _MISSING
    if "--property=SystemState" in command:
        failed = any(unit.active == "failed" for unit in live.units)
        return Answer(0, "degraded\n" if failed else "running\n")
    if "list-unit-files" in command:
        rows = [f"{name} enabled enabled" for name in live.enabled]
    else:
        states = {"active": "running", "failed": "failed", "inactive": "dead"}
        rows = [f"{u.name} loaded {u.active} {states[u.active]} {u.about}" for u in live.units]
    return _lines(rows)


def _loginctl(live: Live, command: Sequence[str]) -> Answer:
    if "list-sessions" in command:
        return _lines(
            f"{number} 1000 {session.user} - {session.terminal}"
            for number, session in enumerate(live.sessions, start=1)
        )
    blocks = []
    for number, session in enumerate(live.sessions, start=1):
        if str(number) in command:
            remote = "yes" if session.host else "no"
            blocks.append(
                f"Name={session.user}\nType={session.type}\nTTY={session.terminal}\n"
                f"Remote={remote}\nRemoteHost={session.host}\nState=active\nClass=user\n"
            )
    return Answer(0, "\n".join(blocks))


def _timedatectl(live: Live, command: Sequence[str]) -> Answer:
    return Answer(
        0, f"Timezone={live.zone}\nNTPSynchronized={'yes' if live.synchronised else 'no'}\n"
    )


def guests_of(live: Live, manager: str) -> list[LiveGuest]:
    """The guests of a manager."""
    return [guest for guest in live.guests if guest.manager == manager]


def _virsh(live: Live, command: Sequence[str]) -> Answer:
    if "libvirt" not in live.managers:
        return _MISSING
    if "domstate" in command:
        guest = next((g for g in live.guests if g.name == command[-1]), None)
        if guest is None:
            return Answer(1, f"error: failed to get domain '{command[-1]}'\n")
        return Answer(0, ("running" if guest.running else "shut off") + "\n\n")
    rows = [" Id   Name            State", "-----------------------------------"]
    for number, guest in enumerate(guests_of(live, "libvirt"), start=1):
        identifier = str(number) if guest.running else "-"
        state = "running" if guest.running else "shut off"
        rows.append(f" {identifier:<4} {guest.name:<15} {state}")
    return _lines([*rows, ""])


def _machinectl(live: Live, command: Sequence[str]) -> Answer:
    if "machined" not in live.managers:
        return _MISSING
    running = [g for g in guests_of(live, "machined") if g.running]
    if "show" in command:
        known = command[2] in {guest.name for guest in running}
        return Answer(0, "running\n") if known else Answer(1, "")
    return _lines(f"{guest.name} container systemd-nspawn quayside 7 -" for guest in running)


def _ss(live: Live, command: Sequence[str]) -> Answer:
    rows = []
    for protocol, ports, state in (("tcp", live.tcp, "LISTEN"), ("udp", live.udp, "UNCONN")):
        for port in ports:
            program = live.programs.get(f"{protocol} {port}", "")
            users = f' users:(("{program}",pid={port},fd=3))' if program else ""
            rows.append(f"{protocol}   {state} 0      128    0.0.0.0:{port}   0.0.0.0:*{users}")
    return _lines(rows)


def _ip(live: Live, command: Sequence[str]) -> Answer:
    if "route" in command:
        link = next(iter(live.addresses.values()), "eth0")
        routes = [{"dst": "default", "gateway": live.gateway, "dev": link}] if live.gateway else []
        return Answer(0, json.dumps(routes))
    links = {
        link: [
            {"local": one.partition("/")[0], "prefixlen": int(one.partition("/")[2])}
            | {"scope": "global"}
            for one, on in live.addresses.items()
            if on == link
        ]
        for link in live.addresses.values()
    }
    return Answer(0, json.dumps([{"ifname": k, "addr_info": v} for k, v in links.items()]))


def _nft(live: Live, command: Sequence[str]) -> Answer:
    if not live.rules:
        return Answer(0, "")
    rules = "".join(f"\t\ttcp dport {number + 1} accept\n" for number in range(live.rules))
    hook = f"\t\ttype filter hook input priority filter; policy {live.policy};\n"
    return Answer(0, f"table inet filter {{\n\tchain input {{\n{hook}{rules}\t}}\n}}\n")


def _zpool(live: Live, command: Sequence[str]) -> Answer:
    if not live.pools:
        return _MISSING
    return _lines(f"{name}\t{health}" for name, health in live.pools.items())


def _smartctl(live: Live, command: Sequence[str]) -> Answer:
    name = command[-1].rpartition("/")[2]
    passed = name not in live.failing_disks
    return Answer(0 if passed else 8, json.dumps({"smart_status": {"passed": passed}}))


def _sshd(live: Live, command: Sequence[str]) -> Answer:
    if 22 not in live.tcp:
        return _MISSING
    fault = live.refuses.get("sshd", "")
    return Answer(255, f"{fault}\n") if fault else Answer(0, "")


def _containers(live: Live, command: Sequence[str]) -> Answer:
    manager = command[0]
    if manager not in live.managers:
        return _MISSING
    if "inspect" in command:
        guest = next((g for g in guests_of(live, manager) if g.name == command[-1]), None)
        if guest is None:
            return Answer(1, f"Error: no such object: {command[-1]}\n")
        return Answer(0, "running\n" if guest.running else "exited\n")
    return _lines(
        json.dumps({"Names": [g.name], "State": "running" if g.running else "exited"})
        for g in guests_of(live, manager)
    )


def _lines(rows) -> Answer:
    return Answer(0, "".join(f"{row}\n" for row in rows))

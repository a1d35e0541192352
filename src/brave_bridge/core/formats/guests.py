"""What managers of guests print: virsh(1), machinectl(1), podman-ps(1) and docker ps."""

import re

import msgspec

from brave_bridge.core.formats.decoding import fields_of

_VIRSH_ROW = re.compile(r"^\s*(?:-|\d+)\s+(\S.*?)\s{2,}(\S.*?)\s*$")


class Guest(msgspec.Struct, frozen=True):
    """A virtual machine or a container. ``manager`` is what is asked about it
    (``libvirt``, ``machined``, ``podman``, ``docker``), ``state`` in that manager's words.
    """

    name: str
    manager: str
    state: str

    @property
    def is_running(self) -> bool:
        """Whether it is at work now."""
        return self.state.split(" ")[0].lower() in ("running", "up", "paused", "idle")


def read_virsh_list(text: str) -> list[Guest]:
    """``virsh list --all``: rows of id, name and state under a ruler."""
    _, ruler, body = text.partition("\n---")
    rows = body.splitlines()[1:] if ruler else []
    found = [_VIRSH_ROW.match(row) for row in rows]
    return [Guest(match[1], "libvirt", match[2]) for match in found if match]


def read_machinectl_list(text: str) -> list[Guest]:
    """``machinectl list --no-legend``: the machines that are at work, by name."""
    names = [words[0] for line in text.splitlines() if (words := line.split())]
    return [Guest(name, "machined", "running") for name in names if name != ".host"]


def read_containers(text: str, manager: str) -> list[Guest]:
    """``podman ps`` or ``docker ps`` with ``--format '{{json .}}'``: one object a line."""
    found = []
    for line in text.splitlines():
        try:
            row = fields_of(line)
        except msgspec.DecodeError:
            continue
        if row.get("Names"):
            names = row["Names"]
            name = names[0] if isinstance(names, list) else str(names)
            found.append(Guest(name, manager, str(row.get("State") or row.get("Status") or "")))
    return found

"""Who asked for a package: the marks that apt-mark(8) sets, in apt's own file."""

from brave_bridge.core.formats.deb822 import stanza_text, stanzas
from brave_bridge.machines.folder import FolderMachine

MARKS = "/var/lib/apt/extended_states"


def mark(machine: FolderMachine, names: set[str], kind: str) -> None:
    """Mark packages as ``auto`` or ``manual``."""
    text = (machine.files.read_if_there(MARKS, 10_000_000) or b"").decode()
    automatic = {fields["Package"] for fields in stanzas(text) if fields["Auto-Installed"] == "1"}
    after = automatic | names if kind == "auto" else automatic - names
    if after == automatic:
        return
    rows = ({"Package": n, "Architecture": "amd64", "Auto-Installed": "1"} for n in sorted(after))
    machine.files.write(MARKS, "\n".join(map(stanza_text, rows)).encode())

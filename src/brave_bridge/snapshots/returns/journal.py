"""What a return under way says of itself, on the very disk that it works on."""

from datetime import UTC, datetime
from pathlib import Path

import msgspec

from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.snapshots.trees.cover import STAGING

_NAME = "journal.json"
_LONGEST = 100_000


class Journal(msgspec.Struct, frozen=True):
    """Which return is under way, and how far it is. Times ISO 8601."""

    snapshot: str
    machine: str
    phase: str
    """``staging``: nothing live is touched yet; ``swapping``: it must be finished."""
    began: str
    kept_in: str = ""


def new_journal(snapshot: str, machine: str, kept_in: str) -> Journal:
    """The journal of a return that begins now."""
    began = datetime.now(UTC).isoformat(timespec="seconds")
    return Journal(snapshot, machine, "staging", began, kept_in)


def read_journal(root: Path) -> Journal | None:
    """The journal of a return that was interrupted on that part, if there is one."""
    try:
        content = (Beneath(root, STAGING, ours=True) / _NAME).read(_LONGEST)
        return decode_json(content, Journal)
    except (OSError, msgspec.DecodeError):
        return None


def write_journal(staging: Beneath, journal: Journal, phase: str) -> None:
    """Say in the staging folder how far the return is."""
    content = msgspec.json.encode(msgspec.structs.replace(journal, phase=phase))
    (staging / _NAME).write(content, 0o600)

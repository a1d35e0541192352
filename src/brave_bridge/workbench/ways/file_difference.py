"""How one file differs between a way back and the machine, or another one, line by line."""

import difflib

from brave_bridge.core.formats.text import decoded, plain
from brave_bridge.machines.port import MachineError
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.ways.ways_back import WaysBack

_MOST_LINES = 400
_LARGEST = 1_000_000


def file_difference(desk: Desk, identifier: str, path: str, other: str = "") -> list[str]:
    """A unified diff, then to now (or to the way back ``other``); or in words why there is none."""
    ways = WaysBack(desk)
    then, why_not_then = _read(lambda: ways.file_then(identifier, path))
    now, why_not_now = _read(
        lambda: ways.file_then(other, path) if other else ways.file_now(f"/{path}")
    )
    if then is None and now is None:
        return [why_not_then or why_not_now]
    for content in (then, now):
        if content and (b"\0" in content[:8000] or len(content) > _LARGEST):
            return ["It is no text, or too long to compare line by line."]
    lines = difflib.unified_diff(
        decoded(then or b"").splitlines(),
        decoded(now or b"").splitlines(),
        "then" if then is not None else "not there",
        "now" if now is not None else "not there",
        lineterm="",
    )
    shown = [plain(line, 400) for _, line in zip(range(_MOST_LINES), lines, strict=False)]
    return shown or ["The content is the same."]


def _read(reader) -> tuple[bytes | None, str]:
    try:
        return reader(), ""
    except MachineError as error:
        return None, error.seen

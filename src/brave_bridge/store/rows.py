"""What a logbook tells, as plain data: known without the library that keeps it.

That library takes longer to load than many a command to run.
"""

from datetime import UTC, datetime
from typing import Any, TypeVar

import msgspec

from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.formats.decoding import decode_json, fields_of

_Kind = TypeVar("_Kind")

LOGBOOK_FILE, NOTES_FILE = "logbook.sqlite", "field-notes.sqlite"


def now() -> str:
    """The time as the logbook writes it: ISO 8601 in UTC, with milliseconds."""
    return datetime.now(UTC).isoformat(timespec="milliseconds")


class ProcedureRow(msgspec.Struct, frozen=True):
    """A crossing or a return.

    ``state`` is ``running``, ``resting``, ``done``, ``stopped`` or ``failed``; ``version`` is
    that of the script which began it, empty where that was not written down.
    """

    id: str
    kind: str
    title: str
    brief: bytes
    state: str
    began: str
    ended: str
    outcome: Outcome | None
    rest_asked: bool
    unattended: bool
    version: str = ""


def beginning_row(
    identifier: str, kind: str, title: str, brief: bytes, *, unattended: bool, version: str = ""
) -> ProcedureRow:
    """The row of a procedure that begins now."""
    return ProcedureRow(
        id=identifier,
        kind=kind,
        title=title,
        brief=brief,
        state="running",
        began=now(),
        ended="",
        outcome=None,
        rest_asked=False,
        unattended=unattended,
        version=version,
    )


class EntryRow(msgspec.Struct, frozen=True):
    """One request and, once ``ended`` is set, its reply (both as JSON)."""

    procedure: str
    seq: int
    kind: str
    title: str
    request: bytes
    began: str
    ended: str
    reply: bytes | None
    ok: bool | None
    percent: float
    note: str
    job: str

    @property
    def asked(self) -> dict[str, Any]:
        """The fields of the request; none where they cannot be read."""
        return _fields(self.request)

    @property
    def answered(self) -> dict[str, Any]:
        """The fields of the reply; none before it came, and where they cannot be read."""
        return _fields(self.reply)

    @property
    def argv(self) -> tuple[str, ...]:
        """The command that was asked for; empty where none was."""
        words = self.asked.get("argv")
        return tuple(map(str, words)) if isinstance(words, list) else ()

    @property
    def output(self) -> str:
        """What the command printed."""
        return str(self.answered.get("output", ""))

    def asked_as(self, kind: type[_Kind]) -> _Kind | None:
        """The request as one of a kind; None where it is none."""
        try:
            return decode_json(self.request, kind)
        except msgspec.DecodeError:
            return None


def _fields(content: bytes | None) -> dict[str, Any]:
    try:
        return fields_of(content) if content else {}
    except msgspec.DecodeError:
        return {}


class SampleRow(msgspec.Struct, frozen=True):
    """How far a request was at a moment, and what was free on the system's disk, in bytes.

    ``free_bytes`` is 0 where nobody could tell.
    """

    procedure: str
    seq: int
    at: str
    percent: float
    free_bytes: int


class QuestionRow(msgspec.Struct, frozen=True):
    """A question of the script; ``answer`` is empty while it waits."""

    procedure: str
    key: str
    title: str
    detail: str
    choices: tuple[str, ...]
    default: str
    asked: str
    answer: str
    answered_by: str

"""The newest survey of each machine, kept with the person who asked for it.

Reading a machine writes nothing to it: what is needed to say what changed is kept here.
"""

import contextlib
import hashlib
from pathlib import Path

import msgspec

from brave_bridge.core.survey.findings import Finding
from brave_bridge.store.writing import write_atomically
from brave_bridge.workbench.places import state_of_fleet
from brave_bridge.workbench.targets import Target


class KeptSurvey(msgspec.Struct, frozen=True):
    """A survey's time and findings; ``leg`` is the key of the leg that it was for."""

    taken_at: str
    findings: tuple[Finding, ...]
    leg: str = ""


def _place(target: Target) -> Path:
    name = hashlib.sha256("\0".join((target.kind, *target.words)).encode()).hexdigest()[:16]
    return state_of_fleet(target.kind) / "surveys" / f"{name}.json"


def last_survey(target: Target) -> KeptSurvey | None:
    """The survey before; None where there is none that can be read."""
    try:
        return msgspec.json.decode(_place(target).read_bytes(), type=KeptSurvey)
    except (OSError, msgspec.DecodeError):
        return None


def keep_survey(target: Target, survey: KeptSurvey) -> None:
    """Keep a survey in place of the one before; silently not, where that is not allowed."""
    with contextlib.suppress(OSError):
        write_atomically(_place(target), msgspec.json.encode(survey))

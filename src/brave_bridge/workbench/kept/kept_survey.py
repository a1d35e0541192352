"""The newest survey of each machine, kept with the person who asked for it.

Reading a machine writes nothing to it: what is needed to say what changed is kept here.
"""

import contextlib
import hashlib

import msgspec

from brave_bridge.core.survey.findings import Finding
from brave_bridge.machines.kept_record import KeptRecord
from brave_bridge.machines.port import MachineError
from brave_bridge.workbench.places import state_of_fleet
from brave_bridge.workbench.targets import Target

_LIMIT = 20_000_000


class KeptSurvey(msgspec.Struct, frozen=True):
    """A survey's time and findings; ``leg`` is the key of the leg that it was for."""

    taken_at: str
    findings: tuple[Finding, ...]
    leg: str = ""


def _record(target: Target) -> KeptRecord[KeptSurvey | None]:
    name = hashlib.sha256("\0".join((target.kind, *target.words)).encode()).hexdigest()[:16]
    return KeptRecord(f"surveys/{name}.json", KeptSurvey, None, _LIMIT)


def last_survey(target: Target) -> KeptSurvey | None:
    """The survey before; None where there is none that can be read."""
    return _record(target).read(state_of_fleet(target.kind))


def keep_survey(target: Target, survey: KeptSurvey) -> None:
    """Keep a survey in place of the one before; silently not, where that is not allowed."""
    with contextlib.suppress(MachineError):
        _record(target).change(state_of_fleet(target.kind), lambda _: survey)

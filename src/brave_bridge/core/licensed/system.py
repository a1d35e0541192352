"""What a licensed system says of itself: its edition and licence, its programs, what it keeps.

Files of JSON, documented in docs/licensed.md. Unknown fields are passed over: a system may say
more of itself than is asked here.
"""

from typing import TypeVar

import msgspec

from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.formats.text import one_line

SYSTEM_FILE = "/usr/lib/licensed/system.json"
LICENCE_FILE = "/var/lib/licensed/licence.json"
PROGRAMS_FILE = "/var/lib/licensed/programs.json"
KEPT_FILE = "/var/lib/licensed/kept.json"
KEPT_FOLDER = "/var/lib/licensed/kept"
KEPT_LOG = "/var/log/licensed/kept.log"
PHASES_FILE = "/var/lib/licensed/phases.json"
MEDIUM_FILES = ("/media/*/medium.json", "/srv/media/*/medium.json")
KEY_FILES = "/etc/licensed/keys/*.asc"
TOOL = "licensed-system"
"""The system's own tool; docs/licensed.md has what it is called with."""

NONE, WAITING, ACTIVE = "none", "waiting", "active"
"""How an activation stands: none is needed, it is still to come, it is done."""

RUNNING, FINISHED, FAILED, ROLLED_BACK = "running", "done", "failed", "rolled back"
"""How an upgrade from a medium stands, by the system's own record."""

_MOST = 4000
_Kind = TypeVar("_Kind")


class LicensedFault(ValueError):
    """One of the files is not what it must be: why, in words."""


class StorePart(msgspec.Struct, frozen=True):
    """A component that the system's store has."""

    name: str
    version: str


class Edition(msgspec.Struct, frozen=True):
    """An edition that the system may be: what it ``adds``, what it ``forbids``.

    ``mark`` is how keys for it begin, empty where it has none; ``way_back``: whether the system
    itself can leave it again.
    """

    name: str
    title: str
    mark: str = ""
    adds: tuple[str, ...] = ()
    forbids: tuple[str, ...] = ()
    way_back: bool = True


class System(msgspec.Struct, frozen=True):
    """The system that runs, as it says itself."""

    version: str
    build: str
    edition: str
    language: str = ""
    architecture: str = ""
    components: tuple[StorePart, ...] = ()
    editions: tuple[Edition, ...] = ()


class LicenceState(msgspec.Struct, frozen=True):
    """The licence. ``shown`` is the part of its key that may be shown, ``ends`` an ISO day.

    ``channel`` is how it was bought; ``trial``: whether the system still calls itself a trial.
    """

    edition: str
    channel: str = ""
    shown: str = ""
    ends: str = ""
    activation: str = NONE
    trial: bool = False


class Program(msgspec.Struct, frozen=True):
    """A program that somebody installed, when (ISO day), and which release it keeps away."""

    name: str
    version: str = ""
    installed: str = ""
    blocks: str = ""
    why: str = ""


class KeptSystem(msgspec.Struct, frozen=True):
    """The system of before an upgrade, kept to go back to until a day (ISO).

    ``longest`` is the last day that it can be kept until, ``size`` in bytes; ``gone`` says why
    it is no longer there, empty where it is.
    """

    version: str
    build: str
    until: str
    made: str
    size: int = 0
    longest: str = ""
    gone: str = ""


class PhaseNote(msgspec.Struct, frozen=True):
    """What the system wrote down of a phase."""

    at: str
    words: str


class Phases(msgspec.Struct, frozen=True):
    """How an upgrade from a medium stands: ``phase`` of ``of``, over several restarts."""

    target: str
    state: str
    phase: int = 0
    of: int = 0
    keep: str = ""
    record: tuple[PhaseNote, ...] = ()


class LicensedSystem(msgspec.Struct, frozen=True):
    """All of it, with the media that are there, by the paths of what they say of themselves."""

    system: System
    licence: LicenceState
    programs: tuple[Program, ...] = ()
    kept: KeptSystem | None = None
    phases: Phases | None = None
    media: tuple[str, ...] = ()
    people: int = 0
    """How many people have a folder of their own."""
    people_files: int = 0
    """How many files those have, three folders deep."""

    def edition(self, name: str) -> Edition | None:
        """An edition by its name."""
        return next((one for one in self.system.editions if one.name == name), None)

    @property
    def marks(self) -> dict[str, str]:
        """How keys begin, and the title of the edition that they are for."""
        return {one.mark: one.title for one in self.system.editions if one.mark}

    @property
    def title(self) -> str:
        """The title of the edition that runs."""
        found = self.edition(self.system.edition)
        return found.title if found else self.system.edition


def read_system(content: bytes) -> System:
    """The system; LicensedFault where it says nothing of use."""
    return _decoded(content, System)


def read_licence(content: bytes) -> LicenceState:
    """The licence; LicensedFault."""
    return _decoded(content, LicenceState)


def read_programs(content: bytes) -> tuple[Program, ...]:
    """The programs that were installed; LicensedFault."""
    return _decoded(content, tuple[Program, ...])


def read_kept(content: bytes) -> KeptSystem:
    """The system that is kept; LicensedFault."""
    return _decoded(content, KeptSystem)


def read_phases(content: bytes) -> Phases:
    """The record of an upgrade; LicensedFault."""
    return _decoded(content, Phases)


def _decoded(content: bytes, kind: type[_Kind]) -> _Kind:
    try:
        return _cleaned(decode_json(content, kind))
    except msgspec.DecodeError as error:
        raise LicensedFault(one_line(str(error), 200)) from error


def _cleaned(value):
    """The value with every text fit to be shown, and no list longer than a system has."""
    if isinstance(value, str):
        return one_line(value, 300)
    if isinstance(value, tuple):
        if len(value) > _MOST:
            raise LicensedFault(f"a list of {len(value)} entries")
        return tuple(_cleaned(one) for one in value)
    if isinstance(value, msgspec.Struct):
        fields = {name: _cleaned(getattr(value, name)) for name in value.__struct_fields__}
        return msgspec.structs.replace(value, **fields)
    return value

"""What a medium says of itself, and whether it fits the machine that it is to be used on.

``medium.json`` is JSON, signed beside it (``medium.json.asc``, RFC 9580); docs/licensed.md has the
format. What is not as that says is refused whole.
"""

import re
from collections.abc import Iterable, Iterator

import msgspec

from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.formats.sums import SHA256
from brave_bridge.core.formats.text import counted
from brave_bridge.core.licensed.system import LicensedSystem, Program
from brave_bridge.core.survey.platform import Hardware

LARGEST = 1_000_000
"""Bytes of what a medium says of itself."""

MOST_FILES, LARGEST_FILES = 10_000, 64 << 30
SCHEMA = 1
_WORD = re.compile(r"[A-Za-z0-9][A-Za-z0-9.:~+_-]{0,79}")
_PATH = re.compile(
    r"(?:[A-Za-z0-9_+-][A-Za-z0-9._+-]{0,79}/){0,8}[A-Za-z0-9_+-][A-Za-z0-9._+-]{0,79}"
)


class MediumFault(ValueError):
    """It is no medium, or none that may be believed: why, in words."""


class MediumFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A file of the medium, beside what it says of itself. ``size`` in bytes."""

    path: str
    size: int
    sha256: str


class Medium(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A medium. ``drivers`` are patterns of the modaliases of devices that it has drivers for.

    ``grows`` is what the system needs more room for, in bytes; ``phases`` over how many restarts.
    """

    schema: int
    line: str
    version: str
    build: str
    architecture: str
    languages: tuple[str, ...]
    editions: tuple[str, ...]
    files: tuple[MediumFile, ...]
    drivers: tuple[str, ...] = ()
    grows: int = 0
    phases: int = 1

    @property
    def size(self) -> int:
        """All its files together, in bytes."""
        return sum(file.size for file in self.files)


class Misfit(msgspec.Struct, frozen=True):
    """Why a medium cannot be used here, and what to do."""

    why: str
    remedy: str


def read_medium(content: bytes) -> Medium:
    """What a medium says of itself; MediumFault."""
    if len(content) > LARGEST:
        raise MediumFault(f"what it says of itself is longer than {LARGEST} bytes")
    try:
        medium = decode_json(content, Medium)
    except msgspec.DecodeError as error:
        raise MediumFault(f"it does not say what it is: {error}") from error
    for fault in _faults(medium):
        raise MediumFault(fault)
    return medium


def _faults(medium: Medium) -> Iterator[str]:
    if medium.schema != SCHEMA:
        yield f"it is of format {medium.schema}; this program reads {SCHEMA}"
    lists = (medium.languages, medium.editions)
    words = (medium.line, medium.version, medium.build, medium.architecture)
    for word in (*words, *(one for each in lists for one in each)):
        if not _WORD.fullmatch(word):
            yield f"no name or version: {word[:80]!r}"
    if not all(lists) or max(map(len, lists)) > 400:
        yield "it is for no language or edition that it names"
    if not 0 < len(medium.files) <= MOST_FILES or medium.size > LARGEST_FILES:
        yield f"it has {len(medium.files)} files"
    if not 1 <= medium.phases <= 20 or medium.grows < 0:
        yield f"it needs {medium.phases} phases"
    for file in medium.files:
        if not _PATH.fullmatch(file.path) or file.size < 0 or not SHA256.fullmatch(file.sha256):
            yield f"no file that could be on it: {file.path[:80]!r}"


def misfits(
    medium: Medium, system: LicensedSystem, line: str, hardware: Hardware
) -> Iterator[Misfit]:
    """Why a medium does not fit this machine, all of it."""
    here = system.system
    if medium.line != line:
        yield Misfit(f"it is of {medium.line}, the machine is of {line}", "take the right medium")
    if medium.architecture != here.architecture:
        why = f"it is for {medium.architecture}, the machine is {here.architecture}"
        yield Misfit(why, f"take the medium for {here.architecture}")
    if here.language not in medium.languages:
        why = f"it is in {', '.join(medium.languages)}, the machine in {here.language}"
        remedy = f"take the medium in {here.language}: in another language nothing can be kept"
        yield Misfit(why, remedy)
    if here.edition not in medium.editions:
        why = f"it has {', '.join(medium.editions)}, the machine is {here.edition}"
        yield Misfit(why, f"take a medium with {here.edition}, or change the edition first")
    for program in blocking(system.programs, medium.version):
        yield Misfit(f"{program.name} keeps it away: {program.why}", f"remove {program.name} first")


def blocking(programs: Iterable[Program], version: str) -> Iterator[Program]:
    """The programs that do not let a release in."""
    yield from (program for program in programs if program.blocks == version)


def losses(keep: str, system: LicensedSystem) -> tuple[str, ...]:
    """What an upgrade loses that keeps so much, counted on the machine."""
    if keep == "all":
        return ()
    names = [program.name for program in system.programs]
    lost = [f"{counted(len(names), 'program')}: {', '.join(names[:6])}"] if names else []
    lost += ["the settings of the system and of its programs"]
    if keep == "nothing":
        lost += [
            f"{counted(system.people, 'account')} and their passwords",
            f"at least {counted(system.people_files, 'file')} of theirs",
        ]
    return tuple(lost)

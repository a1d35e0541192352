"""Requests that a script yields and the replies it is sent: plain frozen data.

A request says what shall be done, never how. ``title`` is what a person reads while it
is under way. ``done_when`` says how somebody who comes back after a crash learns
whether it took effect, and ``repeatable`` whether doing it again does no harm.
"""

from collections.abc import Generator
from enum import Enum
from typing import ClassVar, TypeVar

import msgspec

from brave_bridge.core.crossing.open_leg import OpenLeg
from brave_bridge.core.packages.changes import LegPlan, PackageChanges
from brave_bridge.core.packages.wishes import PersonsWishes
from brave_bridge.core.survey.facts import Facts


class DoneWhen(Enum):
    """How it is known that a request took effect."""

    JOB_ENDED = "the job's folder on the machine holds an exit code"
    CONTENT_STANDS = "the files have the wanted content"
    RECORD_EXISTS = "the catalogue or the logbook holds its record"
    NEVER = "it only looks, and is done anew"


class Request(msgspec.Struct, frozen=True, tag=True, kw_only=True):
    """What all requests share."""

    title: str
    done_when: ClassVar[DoneWhen] = DoneWhen.NEVER
    repeatable: ClassVar[bool] = True


class Checkpoint(Request, frozen=True, tag=True, kw_only=True):
    """A place where the script can rest: the runner stops here when it was asked to.

    ``name`` is short; ``leg`` counts from 0.
    """

    name: str
    leg: int


class ReadFacts(Request, frozen=True, tag=True, kw_only=True):
    """Read the machine's facts. Reply: FactsRead."""


class TakeSnapshot(Request, frozen=True, tag=True, kw_only=True):
    """Make a way back. Reply: SnapshotTaken.

    ``days`` is how long it lasts, 0 without a deadline, and ``ends_because`` why it ends;
    ``engine`` is the engine that is asked for, empty for the one that suits best.
    """

    reason: str
    leg: str
    days: int = 0
    ends_because: str = ""
    engine: str = ""
    done_when: ClassVar[DoneWhen] = DoneWhen.RECORD_EXISTS


class FileText(msgspec.Struct, frozen=True):
    """A file's path on the machine and its text."""

    path: str
    text: str


class CheckSnapshot(Request, frozen=True, tag=True, kw_only=True):
    """Read a snapshot and hold it against its hashes. Reply: SnapshotChecked."""

    snapshot: str
    done_when: ClassVar[DoneWhen] = DoneWhen.RECORD_EXISTS


class ExpireSnapshots(Request, frozen=True, tag=True, kw_only=True):
    """Delete the ways back that the retention rules let go. Reply: SnapshotsExpired."""

    done_when: ClassVar[DoneWhen] = DoneWhen.RECORD_EXISTS


class MakeCard(Request, frozen=True, tag=True, kw_only=True):
    """Make the recovery card for the machine as it is, with its newest way back. Reply: Done."""

    done_when: ClassVar[DoneWhen] = DoneWhen.CONTENT_STANDS


class CheckBoot(Request, frozen=True, tag=True, kw_only=True):
    """Look whether the kernel of a snapshot can boot: image, modules, entry. Reply: BootChecked."""

    snapshot: str


class ReadFiles(Request, frozen=True, tag=True, kw_only=True):
    """Read the files that match shell patterns. Reply: FilesRead, in path order."""

    patterns: tuple[str, ...]
    limit_bytes: int = 1_000_000


class WriteFiles(Request, frozen=True, tag=True, kw_only=True):
    """Write each file atomically, keeping owner, mode and attributes. Reply: Done."""

    files: tuple[FileText, ...]
    done_when: ClassVar[DoneWhen] = DoneWhen.CONTENT_STANDS


class FileSwap(msgspec.Struct, frozen=True):
    """Put ``newer`` in the place of ``present``, which is kept as ``saved``."""

    newer: str
    present: str
    saved: str


class SwapFiles(Request, frozen=True, tag=True, kw_only=True):
    """Carry out the swaps whose ``newer`` exists. Reply: Swapped."""

    swaps: tuple[FileSwap, ...]
    done_when: ClassVar[DoneWhen] = DoneWhen.CONTENT_STANDS


class KeepOpenLeg(Request, frozen=True, tag=True, kw_only=True):
    """Keep on the machine that a leg is under way. Reply: Done."""

    leg: OpenLeg
    done_when: ClassVar[DoneWhen] = DoneWhen.CONTENT_STANDS


class CloseLeg(Request, frozen=True, tag=True, kw_only=True):
    """No leg is under way any more: it is whole, undone, or returned from. Reply: Done."""

    done_when: ClassVar[DoneWhen] = DoneWhen.CONTENT_STANDS


class ListFiles(Request, frozen=True, tag=True, kw_only=True):
    """List the files below a folder that end in one of ``suffixes``. Reply: FilesListed."""

    folder: str
    suffixes: tuple[str, ...]


class Run(Request, frozen=True, tag=True, kw_only=True):
    """Run a command as a job on the machine. Reply: Ran.

    ``reports_progress`` says that it writes apt's status lines to descriptor 3;
    ``good_codes`` are the exit codes that are no fault. ``again``: where it vanished without
    an exit code it is started again; else the script is told, and repairs first.
    """

    argv: tuple[str, ...]
    environment: dict[str, str] = {}
    reports_progress: bool = False
    good_codes: tuple[int, ...] = (0,)
    again: bool = True
    done_when: ClassVar[DoneWhen] = DoneWhen.JOB_ENDED


class SuiteWanted(msgspec.Struct, frozen=True, kw_only=True):
    """A suite of an archive and what is wanted of it.

    No ``architectures``: those of the machine. ``key_files`` and ``key_text`` are what it may
    be signed by, none of them: whatever the machine trusts for all. ``trusted``: signatures are
    switched off for it.
    """

    uri: str
    suite: str
    components: tuple[str, ...] = ()
    architectures: tuple[str, ...] = ()
    key_files: tuple[str, ...] = ()
    key_text: str = ""
    trusted: bool = False


class FetchSuites(Request, frozen=True, tag=True, kw_only=True):
    """Fetch suites apart from the machine's own indices. Reply: SuitesFetched.

    ``folder``, on the machine, is where it is noted what came.
    """

    folder: str
    suites: tuple[SuiteWanted, ...]


class LegIndices(msgspec.Struct, frozen=True):
    """A folder with the indices of a leg's end, and what that release is called."""

    lists: str
    end: str


class PlanPackages(Request, frozen=True, tag=True, kw_only=True):
    """Plan the packages of consecutive legs, each on what the one before leaves.

    ``database`` is the package database to start from. ``explain``: with the reason of each
    change and what keeping packages costs. ``configured`` are packages whose config files were
    changed here. Reply: PackagesPlanned.
    """

    database: str
    legs: tuple[LegIndices, ...]
    wishes: PersonsWishes = PersonsWishes()
    explain: bool = True
    configured: tuple[str, ...] = ()


class Ask(Request, frozen=True, tag=True, kw_only=True):
    """Ask the person. Unattended, the default is taken. Reply: Answered."""

    key: str
    detail: str
    choices: tuple[str, ...]
    default: str
    done_when: ClassVar[DoneWhen] = DoneWhen.RECORD_EXISTS


class GuardServices(Request, frozen=True, tag=True, kw_only=True):
    """Keep package scripts from starting or restarting services. Reply: Done.

    In a system that does not run that is all of them; in one that runs it is the units that
    wait until ``later``.
    """

    later: tuple[str, ...] = ()
    done_when: ClassVar[DoneWhen] = DoneWhen.CONTENT_STANDS


class UnguardServices(Request, frozen=True, tag=True, kw_only=True):
    """Take that guard away, and put back what stood in its place. Reply: Done."""

    done_when: ClassVar[DoneWhen] = DoneWhen.CONTENT_STANDS


class RestoreSnapshot(Request, frozen=True, tag=True, kw_only=True):
    """Make the machine equal to a snapshot in all that it covers. Reply: Restored.

    ``skip_damaged``: files that are damaged in the snapshot stay as they are, and are named.
    """

    snapshot: str
    skip_damaged: bool = False
    done_when: ClassVar[DoneWhen] = DoneWhen.CONTENT_STANDS


class CompareWithSnapshot(Request, frozen=True, tag=True, kw_only=True):
    """Compare the machine with a snapshot by content, but for some paths. Reply: Compared.

    What was written after ``since_ns``, where that is not 0, is told apart.
    """

    snapshot: str
    but_for: tuple[str, ...] = ()
    since_ns: int = 0


class Restart(Request, frozen=True, tag=True, kw_only=True):
    """Restart the machine unless its boot id is another already. Reply: Restarted.

    The runner ends with the machine it runs on; whoever goes on finds the other boot id.
    """

    boot_id: str
    limit_seconds: int = 1800
    done_when: ClassVar[DoneWhen] = DoneWhen.CONTENT_STANDS


class AwaitAnswer(Request, frozen=True, tag=True, kw_only=True):
    """Ask a command that only looks until it answers so. Reply: Awaited, Failed when it is late.

    ``wanted`` are the outputs, without white space around them, that end the waiting;
    ``or_failure``: so does a command that ends with an error.
    """

    argv: tuple[str, ...]
    wanted: tuple[str, ...]
    limit_seconds: int
    or_failure: bool = False


class Reply(msgspec.Struct, frozen=True, tag=True):
    """What all replies share."""


class Failed(Reply, frozen=True, tag=True):
    """A request could not be carried out: what was tried, what was seen, what to do."""

    attempted: str
    seen: str
    remedy: str = ""


class Done(Reply, frozen=True, tag=True):
    """It is done; ``detail`` is for the record."""

    detail: str = ""


class FactsRead(Reply, frozen=True, tag=True):
    """Facts of the machine."""

    facts: Facts


class SnapshotTaken(Reply, frozen=True, tag=True):
    """A snapshot exists and is whole."""

    id: str
    engine: str
    entries: int
    bytes_copied: int


class FilesRead(Reply, frozen=True, tag=True):
    """Texts of files."""

    files: tuple[FileText, ...]


class FilesListed(Reply, frozen=True, tag=True):
    """Paths of files."""

    paths: tuple[str, ...]


class Swapped(Reply, frozen=True, tag=True):
    """The paths that now hold the newer version."""

    paths: tuple[str, ...]


class Ran(Reply, frozen=True, tag=True):
    """A command's end. ``lost`` where it vanished without an exit code (killed, power cut).

    ``output`` is cleaned text, its middle cut out where it is very long; the whole
    stands in the job's folder.
    """

    exit_code: int
    output: str
    seconds: float
    job: str
    lost: bool = False

    @property
    def ok(self) -> bool:
        """Whether it ended by itself and with 0."""
        return not self.lost and self.exit_code == 0


class SuiteFound(msgspec.Struct, frozen=True, kw_only=True):
    """What a fetched suite calls itself; or the ``fault`` why it could not be fetched.

    ``missing``: its archive has no such suite.
    """

    uri: str
    suite: str
    origin: str = ""
    codename: str = ""
    own_suite: str = ""
    signers: tuple[str, ...] = ()
    """The fingerprints of the keys that signed its description."""
    fault: str = ""
    missing: bool = False


class SuitesFetched(Reply, frozen=True, tag=True):
    """The suites in the order asked for; what came over the link, and in how many seconds."""

    suites: tuple[SuiteFound, ...]
    bytes_received: int = 0
    seconds: float = 0.0


class PackagesPlanned(Reply, frozen=True, tag=True):
    """What happens to packages on each leg."""

    legs: tuple[PackageChanges, ...]


class Answered(Reply, frozen=True, tag=True):
    """The choice and who made it (``person``, ``default``)."""

    choice: str
    by: str


class Restored(Reply, frozen=True, tag=True):
    """A return's effect on files.

    ``restart_needed`` where the system goes on as it was until it restarts; ``aside`` names
    what was set aside with the system as it was before; ``used_up`` the mounts whose snapshot
    became the file system itself; ``told`` says what was left alone,
    ``skipped`` are the paths that are damaged in the snapshot; ``running_since_ns`` is when it
    began (ns since the epoch), on a system that runs meanwhile and goes on writing, else 0.
    """

    put_back: int
    removed: int
    bytes_copied: int
    seconds: float
    restart_needed: bool = False
    aside: tuple[str, ...] = ()
    used_up: tuple[str, ...] = ()
    told: tuple[str, ...] = ()
    skipped: tuple[str, ...] = ()
    running_since_ns: int = 0


class SnapshotChecked(Reply, frozen=True, tag=True):
    """What reading a snapshot found: how much was read, and the first faults, each with a path."""

    entries: int
    bytes_read: int
    faults: tuple[str, ...]
    fault_count: int


class SnapshotsExpired(Reply, frozen=True, tag=True):
    """The ways back that went, each with why; and those that stay, each with why."""

    gone: tuple[str, ...]
    stay: tuple[str, ...]


class BootChecked(Reply, frozen=True, tag=True):
    """What would keep the kernel from booting; empty where nothing was found."""

    kernel: str
    entry: str
    faults: tuple[str, ...]


class Compared(Reply, frozen=True, tag=True):
    """The first differences, each ``path: what``, and how many there are.

    ``since`` are paths that what runs has written since.
    """

    count: int
    examples: tuple[str, ...]
    since: tuple[str, ...] = ()


class Restarted(Reply, frozen=True, tag=True):
    """The machine is up again under another boot id."""

    boot_id: str
    seconds: float


class Awaited(Reply, frozen=True, tag=True):
    """What the command answered in the end."""

    answer: str
    seconds: float


AnyRequest = (
    Checkpoint
    | ReadFacts
    | TakeSnapshot
    | CheckSnapshot
    | ExpireSnapshots
    | MakeCard
    | CheckBoot
    | ReadFiles
    | WriteFiles
    | SwapFiles
    | KeepOpenLeg
    | CloseLeg
    | ListFiles
    | Run
    | FetchSuites
    | PlanPackages
    | Ask
    | GuardServices
    | UnguardServices
    | RestoreSnapshot
    | CompareWithSnapshot
    | Restart
    | AwaitAnswer
)
AnyReply = (
    Failed
    | Done
    | FactsRead
    | SnapshotTaken
    | SnapshotChecked
    | SnapshotsExpired
    | BootChecked
    | FilesRead
    | FilesListed
    | Swapped
    | Ran
    | SuitesFetched
    | PackagesPlanned
    | Answered
    | Restored
    | Compared
    | Restarted
    | Awaited
)

Result = TypeVar("Result")
Script = Generator[Request, Reply, Result]
"""A procedure that does nothing itself: it yields requests and is sent replies."""


class CrossingBrief(msgspec.Struct, frozen=True):
    """All that a crossing's script is made from."""

    plans: tuple[LegPlan, ...]

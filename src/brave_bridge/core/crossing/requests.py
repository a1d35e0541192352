"""Requests that a script yields: plain frozen data that says what shall be done, never how.

A request carries the type of its reply. A script asks by ``yield from``, and the reply comes
back as that type, or as ``Failed``:

    def keep_the_time(clock: str) -> Script[str]:
        found = yield from ReadFiles(title="Read its settings", patterns=(clock,))
        if isinstance(found, Failed):
            return found.seen
        answer = yield from Ask(
            title="Restart it now?", key="clock", detail=found.files[0].text,
            choices=("restart", "leave it"), default="leave it",
        )
        if isinstance(answer, Failed) or answer.choice != "restart":
            return ""
        ran = yield from Run(title="Restart it", argv=("systemctl", "restart", "timekeeper"))
        return "" if isinstance(ran, Ran) and ran.ok else "it does not start"

Nothing is done here: a test sends the replies it likes into ``keep_the_time(...)``, the runner
those of a machine. What was asked and answered is in the logbook as JSON; a process that begins
again is sent the recorded replies and so stands where the one before stood. So a script may ask
nothing that is not a request: no clock, no file, no chance. And a request may be performed twice,
where a process died before its reply was written down: every deed looks first whether it took
effect. Procedures are put together from smaller scripts by ``yield from`` in the same way.
"""

from collections.abc import Generator
from functools import cache
from typing import Any, Generic, TypeVar, cast, get_args

import msgspec

from brave_bridge.core.crossing.open_leg import OpenLeg
from brave_bridge.core.crossing.replies import (
    Answered,
    Awaited,
    Begun,
    BootChecked,
    BundleRead,
    Compared,
    Done,
    DriversAtStart,
    FactsRead,
    Failed,
    FilesListed,
    FilesRead,
    FileText,
    KeyUsed,
    MediumRead,
    PackagesFetched,
    PackagesPlanned,
    PastOffered,
    Ran,
    Reply,
    Restarted,
    Restored,
    SettingsChecked,
    SettingsForeseen,
    SnapshotChecked,
    SnapshotsExpired,
    SnapshotTaken,
    StopsSeen,
    SuitesFetched,
    Swapped,
    TrialArranged,
)
from brave_bridge.core.packages.changes import PackageChanges
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.proof.checks import OwnCheck

Answer = TypeVar("Answer", bound=Reply)
Result = TypeVar("Result")


class Request(msgspec.Struct, Generic[Answer], frozen=True, tag=True, kw_only=True):
    """What all requests share. ``title`` is what a person reads while it is under way."""

    title: str

    def __iter__(self) -> Generator["Request[Any]", Any, Answer | Failed]:
        """Ask by ``yield from``; TypeError where the reply is none that this request has."""
        reply: Any = yield self
        if isinstance(reply, Failed):
            return reply
        if not isinstance(reply, reply_of(type(self))):
            raise TypeError(f"{type(reply).__name__} is no reply to {type(self).__name__}")
        return cast(Answer, reply)

    def went_well(self, reply: Reply) -> bool:
        """Whether a reply is what was hoped for."""
        return not isinstance(reply, Failed)


Script = Generator[Request[Any], Any, Result]
"""A procedure that does nothing itself: it yields requests and is sent replies."""


class Checkpoint(Request[Done], frozen=True, tag=True, kw_only=True):
    """A place where the script can rest: the runner stops here when it was asked to.

    ``name`` is short; ``leg`` counts from 0.
    """

    name: str
    leg: int


class ReadFacts(Request[FactsRead], frozen=True, tag=True, kw_only=True):
    """Read the machine's facts; ``whole``: with the topics of a baseline.

    ``checks`` are a person's own, asked with it; ``answered`` is what the machine's ports did
    before (``OUTCOMES``): they are waited for.
    """

    whole: bool = False
    answered: dict[str, str] = {}
    checks: tuple[OwnCheck, ...] = ()


class CheckSettings(Request[SettingsChecked], frozen=True, tag=True, kw_only=True):
    """Ask the programs of a system that runs whether they accept their settings."""


class AskNewVersions(Request[SettingsForeseen], frozen=True, tag=True, kw_only=True):
    """Ask the versions that are to come whether they accept the settings that stand.

    What was fetched is unpacked beside the system, which stays as it is. ``lists`` is the folder
    of the indices, ``stays`` are the config files that no package is to replace.
    """

    lists: str
    changes: PackageChanges
    stays: tuple[str, ...] = ()


class LookIntoInitrd(Request[DriversAtStart], frozen=True, tag=True, kw_only=True):
    """Look whether a kernel's initial file system has what it needs to come to the root.

    ``before`` is the initial file system by which the system came up, empty where that is not
    known; ``root_type`` the file system that the root is.
    """

    kernel: str
    initrd: str
    before: str
    root_type: str


class TakeSnapshot(Request[SnapshotTaken], frozen=True, tag=True, kw_only=True):
    """Make a way back.

    ``days`` is how long it lasts, 0 without a deadline, and ``ends_because`` why it ends;
    ``engine`` is the engine that is asked for, empty for the one that suits best.
    """

    reason: str
    leg: str
    days: int = 0
    ends_because: str = ""
    engine: str = ""


class ArchiveSettings(Request[Done], frozen=True, tag=True, kw_only=True):
    """Archive the settings beside a way back, under its name; they end together."""

    way_back: str


class CheckSnapshot(Request[SnapshotChecked], frozen=True, tag=True, kw_only=True):
    """Read a snapshot and hold it against its hashes."""

    snapshot: str


class ExpireSnapshots(Request[SnapshotsExpired], frozen=True, tag=True, kw_only=True):
    """Delete the ways back that the retention rules let go."""


class MakeCard(Request[Done], frozen=True, tag=True, kw_only=True):
    """Make the recovery card for the machine as it is, with its newest way back."""


class CheckBoot(Request[BootChecked], frozen=True, tag=True, kw_only=True):
    """Look whether the kernel of a snapshot can boot: image, modules, entry."""

    snapshot: str


class ReadFiles(Request[FilesRead], frozen=True, tag=True, kw_only=True):
    """Read the files that match shell patterns. In path order."""

    patterns: tuple[str, ...]
    limit_bytes: int = 1_000_000


class WriteFiles(Request[Done], frozen=True, tag=True, kw_only=True):
    """Write each file atomically, keeping owner, mode and attributes."""

    files: tuple[FileText, ...]


class FileSwap(msgspec.Struct, frozen=True):
    """Put ``newer`` in the place of ``present``, which is kept as ``saved``."""

    newer: str
    present: str
    saved: str


class SwapFiles(Request[Swapped], frozen=True, tag=True, kw_only=True):
    """Carry out the swaps whose ``newer`` exists."""

    swaps: tuple[FileSwap, ...]


class KeepOpenLeg(Request[Done], frozen=True, tag=True, kw_only=True):
    """Keep on the machine that a leg is under way."""

    leg: OpenLeg


class CloseLeg(Request[Done], frozen=True, tag=True, kw_only=True):
    """No leg is under way any more: it is whole, undone, or returned from."""


class ListFiles(Request[FilesListed], frozen=True, tag=True, kw_only=True):
    """List the files below a folder that end in one of ``suffixes``."""

    folder: str
    suffixes: tuple[str, ...]


OBJECTS = "objects"
"""What the progress of a build is counted in."""


class Run(Request[Ran], frozen=True, tag=True, kw_only=True):
    """Run a command as a job on the machine.

    ``reports_progress`` says that it writes apt's status lines to descriptor 3;
    ``good_codes`` are the exit codes that are no fault. ``again``: where it vanished without
    an exit code it is started again; else the script is told, and repairs first.
    ``measures`` says what its percents are of, and ``amount`` how much that is: ``download`` in
    bytes, ``packages`` in packages, ``objects`` in lines of its output that name one; empty and 0
    where it is none of these, or nobody knows.
    ``first`` is a command that has to end well before this one, in the same job. ``job`` is the
    one in which it was begun before (see Begin): it is only waited for.
    """

    argv: tuple[str, ...]
    environment: dict[str, str] = {}
    reports_progress: bool = False
    good_codes: tuple[int, ...] = (0,)
    again: bool = True
    measures: str = ""
    amount: int = 0
    first: tuple[str, ...] = ()
    job: str = ""

    def went_well(self, reply: Reply) -> bool:
        """Whether the command ended by itself and with one of the good codes."""
        return isinstance(reply, Ran) and not reply.lost and reply.exit_code in self.good_codes


class Begin(Request[Begun], frozen=True, tag=True, kw_only=True):
    """Start a command and go on beside it: a later Run with its ``job`` waits for it."""

    run: Run


class ReplaceFiles(Request[Done], frozen=True, tag=True, kw_only=True):
    """Have a folder hold the files of another, and none else.

    Files whose names (from the folder) are in ``but_for`` are left alone on both sides.
    """

    source: str
    target: str
    but_for: tuple[str, ...] = ()


class RemoveFile(Request[Done], frozen=True, tag=True, kw_only=True):
    """Remove a file of ours, if it is there."""

    path: str


class RemoveFolder(Request[Done], frozen=True, tag=True, kw_only=True):
    """Remove a folder of ours and all in it, if it is there."""

    folder: str


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


class FetchSuites(Request[SuitesFetched], frozen=True, tag=True, kw_only=True):
    """Fetch suites apart from the machine's own indices.

    ``folder``, on the machine, is where it is noted what came.
    """

    folder: str
    suites: tuple[SuiteWanted, ...]


class FetchPackages(Request[PackagesFetched], frozen=True, tag=True, kw_only=True):
    """Fetch the files of packages, each a name and a version, among what was fetched of suites.

    ``lists`` is where it was noted what came of these; the files go into ``folder``.
    """

    lists: str
    packages: tuple[tuple[str, str], ...]
    folder: str


class LegIndices(msgspec.Struct, frozen=True):
    """A folder with the indices of a leg's end, and what that release is called."""

    lists: str
    end: str


class PlanPackages(Request[PackagesPlanned], frozen=True, tag=True, kw_only=True):
    """Plan the packages of consecutive legs, each on what the one before leaves.

    ``database`` is the package database to start from. ``explain``: with the reason of each
    change and what keeping packages costs. ``configured`` are packages whose config files were
    changed here.
    """

    database: str
    legs: tuple[LegIndices, ...]
    preferences: Preferences = Preferences()
    explain: bool = True
    configured: tuple[str, ...] = ()


class Ask(Request[Answered], frozen=True, tag=True, kw_only=True):
    """Ask the person. Unattended, the default is taken."""

    key: str
    detail: str
    choices: tuple[str, ...]
    default: str


class GuardServices(Request[Done], frozen=True, tag=True, kw_only=True):
    """Keep package scripts from starting or restarting services.

    In a system that does not run that is all of them; in one that runs it is the units that
    wait until ``later``.
    """

    later: tuple[str, ...] = ()


class UnguardServices(Request[Done], frozen=True, tag=True, kw_only=True):
    """Take that guard away, and put back what stood in its place."""


class RestoreSnapshot(Request[Restored], frozen=True, tag=True, kw_only=True):
    """Make the machine equal to a snapshot in all that it covers.

    ``skip_damaged``: files that are damaged in the snapshot stay as they are, and are named.
    """

    snapshot: str
    skip_damaged: bool = False


class CompareWithSnapshot(Request[Compared], frozen=True, tag=True, kw_only=True):
    """Compare the machine with a snapshot by content, but for some paths.

    What was written after ``since_ns``, where that is not 0, is told apart.
    """

    snapshot: str
    but_for: tuple[str, ...] = ()
    since_ns: int = 0


class Restart(Request[Restarted], frozen=True, tag=True, kw_only=True):
    """Restart the machine unless its boot id is another already.

    The runner ends with the machine it runs on; whoever goes on finds the other boot id.
    ``force``: services get no time to end.
    """

    boot_id: str
    limit_seconds: int = 1800
    force: bool = False


class AwaitRestart(Request[Restarted], frozen=True, tag=True, kw_only=True):
    """Rest until somebody restarted the machine: until its boot mark is another.

    The runner ends meanwhile, as at a checkpoint; whoever goes on looks again.
    """

    boot_id: str


class ArrangeGoingOn(Request[Done], frozen=True, tag=True, kw_only=True):
    """Arrange with the machine's init that the procedure goes on after the next boot.

    In a system that is only mounted: that it writes down at its boot what came up. What was
    arranged is taken away when the procedure ends, whatever it comes to.
    """


class LookForStops(Request[StopsSeen], frozen=True, tag=True, kw_only=True):
    """Survey the machine again for the way to ``to`` (a release's version or key)."""

    to: str


class ArrangeTrial(Request[TrialArranged], frozen=True, tag=True, kw_only=True):
    """Have the next boot try a kernel once, and every later one take what runs now.

    ``name`` tells this trial from others. Failed where nothing would bring the machine back.
    """

    kernel: str
    name: str


class EndTrial(Request[Done], frozen=True, tag=True, kw_only=True):
    """Nothing is on trial any more: the loader boots by its own default again.

    ``watch_only``: only what would restart the machine by itself is ended, as somebody looks on.
    ``kernel`` is what shall be the default from now on, where the loader's own is another.
    """

    watch_only: bool = False
    kernel: str = ""


class OfferPast(Request[PastOffered], frozen=True, tag=True, kw_only=True):
    """Make a way back a system that can be started, and have the boot menu offer it.

    ``once``: have it started at the next boot alone. Failed where nothing would bring the machine
    back from it.
    """

    way_back: str
    once: bool = False


class WithdrawPast(Request[Done], frozen=True, tag=True, kw_only=True):
    """Take such a system out of the boot menu and delete it; the way back stays."""

    way_back: str


class KeepPast(Request[Done], frozen=True, tag=True, kw_only=True):
    """Give the past system that runs the place of the system of now, which is set aside."""


class ReadBundle(Request[BundleRead], frozen=True, tag=True, kw_only=True):
    """Read an image bundle to its end. Failed where it is not one that may be believed.

    ``line`` is whose it must be, ``serial`` the highest that the machine has ever taken.
    """

    path: str
    line: str
    serial: int = 0


class ReadMedium(Request[MediumRead], frozen=True, tag=True, kw_only=True):
    """Read a medium whole, by what it says of itself at ``path``. Failed where it is damaged."""

    path: str


WAITS_FOR_KEY = "waits for the key: brave-bridge give-key"
"""What is reported while nobody has given a key that is needed."""


class UseKey(Request[KeyUsed], frozen=True, tag=True, kw_only=True):
    """Run a command that is handed a licence key at its standard input.

    The key is in no request and no reply: it is waited for until somebody hands it to the runner,
    which keeps it in its memory while it is of use. ``edition`` is what it must be for and ``mark``
    how it begins; ``is_last``: it is not needed any more behind this. Failed where none was given.
    """

    edition: str
    mark: str
    argv: tuple[str, ...]
    is_last: bool = False

    def went_well(self, reply: Reply) -> bool:
        """See Request: the command's answer is a yes."""
        return isinstance(reply, KeyUsed) and reply.is_yes


class AwaitAnswer(Request[Awaited], frozen=True, tag=True, kw_only=True):
    """Ask a command that only looks until it answers so. Failed when it is late.

    ``wanted`` are the outputs, without white space around them, that end the waiting;
    ``or_failure``: so does a command that ends with an error.
    """

    argv: tuple[str, ...]
    wanted: tuple[str, ...]
    limit_seconds: int
    or_failure: bool = False


class LetPass(Request[Done], frozen=True, tag=True, kw_only=True):
    """Let some time pass, so that what starts can come up."""

    seconds: int


class AwaitJobs(Request[Awaited], frozen=True, tag=True, kw_only=True):
    """Wait until no command runs that a procedure before left behind. Failed when it is late."""

    limit_seconds: int


@cache
def kinds() -> dict[str, type[Request[Any]]]:
    """Every kind of request, by the name under which it is recorded."""
    return {kind.__name__: kind for kind in Request.__subclasses__()}


@cache
def reply_of(kind: type[Request[Any]]) -> type[Reply]:
    """The kind of reply that a kind of request has, where it does not fail."""
    return get_args(vars(kind)["__orig_bases__"][0])[0]

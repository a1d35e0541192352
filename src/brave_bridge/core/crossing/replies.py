"""What a script is sent for its requests: plain frozen data, kept in the logbook as JSON."""

import msgspec

from brave_bridge.core.formats.text import byte_size, counted, one_line
from brave_bridge.core.images.manifest import Manifest
from brave_bridge.core.licensed.answers import Answer, read_answer
from brave_bridge.core.licensed.medium import Medium
from brave_bridge.core.packages.changes import PackageChanges
from brave_bridge.core.survey.facts import Facts


class FileText(msgspec.Struct, frozen=True):
    """A file's path on the machine and its text."""

    path: str
    text: str


class Reply(msgspec.Struct, frozen=True, tag=True):
    """What all replies share."""

    @property
    def summary(self) -> str:
        """It in a few words for the logbook."""
        return ""


class Failed(Reply, frozen=True, tag=True):
    """A request could not be carried out: what was tried, what was seen, what to do."""

    attempted: str
    seen: str
    remedy: str = ""

    @property
    def summary(self) -> str:
        """See Reply."""
        return one_line(f"{self.attempted}: {self.seen}")


class Done(Reply, frozen=True, tag=True):
    """It is done; ``detail`` is for the record."""

    detail: str = ""

    @property
    def summary(self) -> str:
        """See Reply."""
        return one_line(self.detail)


class Begun(Reply, frozen=True, tag=True):
    """A command was started; ``job`` is its name."""

    job: str


class TrialArranged(Reply, frozen=True, tag=True):
    """The next boot takes ``entry`` once, every later one ``good`` (titles of boot entries).

    ``words`` say what happens where it fails or hangs.
    """

    entry: str
    good: str
    words: tuple[str, ...] = ()

    @property
    def summary(self) -> str:
        """See Reply."""
        return one_line(f"{self.entry} once, then {self.good}")


class FactsRead(Reply, frozen=True, tag=True):
    """Facts of the machine."""

    facts: Facts

    @property
    def summary(self) -> str:
        """See Reply."""
        return counted(len(self.facts.installed), self.facts.part)


class SnapshotTaken(Reply, frozen=True, tag=True):
    """A snapshot exists and is whole."""

    id: str
    engine: str
    entries: int
    bytes_copied: int

    @property
    def summary(self) -> str:
        """See Reply."""
        return f"{self.id}: {self.entries} paths, {byte_size(self.bytes_copied)} copied"


class FilesRead(Reply, frozen=True, tag=True):
    """Texts of files."""

    files: tuple[FileText, ...]

    @property
    def summary(self) -> str:
        """See Reply."""
        return counted(len(self.files), "file")


class FilesListed(Reply, frozen=True, tag=True):
    """Paths of files."""

    paths: tuple[str, ...]

    @property
    def summary(self) -> str:
        """See Reply."""
        return counted(len(self.paths), "file")


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

    @property
    def summary(self) -> str:
        """See Reply."""
        return "interrupted" if self.lost else f"exit code {self.exit_code}"


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


class PackagesFetched(Reply, frozen=True, tag=True):
    """Where the package files are on the machine."""

    paths: tuple[str, ...]


class PackagesPlanned(Reply, frozen=True, tag=True):
    """What happens to packages on each leg."""

    legs: tuple[PackageChanges, ...]


class Answered(Reply, frozen=True, tag=True):
    """The choice and who made it (``person``, ``default``)."""

    choice: str
    by: str

    @property
    def summary(self) -> str:
        """See Reply."""
        return f"{self.choice} ({self.by})"


class DriversAtStart(Reply, frozen=True, tag=True):
    """The drivers that an initial file system lacks; ``unread`` says why that is not known."""

    lacking: tuple[str, ...]
    unread: str = ""

    @property
    def summary(self) -> str:
        """See Reply."""
        if self.unread:
            return one_line(f"not read: {self.unread}")
        return f"it lacks {', '.join(self.lacking)}" if self.lacking else "it has what it needs"


class SettingsForeseen(Reply, frozen=True, tag=True):
    """What new versions would say of the settings: only the refusals, by program.

    ``asked`` counts the programs; ``unanswered`` says of which it is not known, and why.
    """

    asked: int
    refused: dict[str, str] = {}
    unanswered: str = ""

    @property
    def summary(self) -> str:
        """See Reply."""
        refused = f", {len(self.refused)} would refuse" if self.refused else ""
        return f"{self.asked} programs asked{refused}"


class SettingsChecked(Reply, frozen=True, tag=True):
    """What each program said of its settings, by its name (``core.survey.program_settings``).

    ``unanswered`` says which of them gave no answer, and why.
    """

    said: dict[str, str]
    unanswered: str = ""

    @property
    def summary(self) -> str:
        """See Reply."""
        return f"{len(self.said)} programs asked"


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

    @property
    def summary(self) -> str:
        """See Reply."""
        return f"{self.put_back} paths put back, {self.removed} removed"


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

    @property
    def summary(self) -> str:
        """See Reply."""
        return f"{self.count} paths differ" if self.count else "equal"


class Restarted(Reply, frozen=True, tag=True):
    """The machine is up again under another boot id."""

    boot_id: str
    seconds: float

    @property
    def summary(self) -> str:
        """See Reply."""
        return f"up again after {self.seconds:.0f} s"


class StopsSeen(Reply, frozen=True, tag=True):
    """The findings that stand in the way, and what mends the first."""

    titles: tuple[str, ...]
    remedy: str = ""

    @property
    def summary(self) -> str:
        """See Reply."""
        return one_line("; ".join(self.titles)) or "nothing stands in the way"


class Awaited(Reply, frozen=True, tag=True):
    """What the command answered in the end."""

    answer: str
    seconds: float

    @property
    def summary(self) -> str:
        """See Reply."""
        return self.answer or "gone"


class PastOffered(Reply, frozen=True, tag=True):
    """The boot menu's entry for a past system: its title and where it stands.

    ``words`` are what a person has to know of the next boot.
    """

    title: str
    where: str
    words: tuple[str, ...] = ()

    @property
    def summary(self) -> str:
        """See Reply."""
        return one_line(f"{self.title}, in {self.where}")


class MediumRead(Reply, frozen=True, tag=True):
    """What a medium says of itself, all of it read and right; and who signed it."""

    path: str
    medium: Medium
    signed_by: tuple[str, ...]

    @property
    def summary(self) -> str:
        """See Reply."""
        return one_line(f"{self.medium.version}, build {self.medium.build}")


class KeyUsed(Reply, frozen=True, tag=True):
    """What a command said that was handed a key; ``shown`` is the part of it that may be told."""

    exit_code: int
    output: str
    shown: str

    @property
    def answer(self) -> Answer:
        """What was answered."""
        return read_answer(self.output)

    @property
    def is_yes(self) -> bool:
        """Whether it is a yes."""
        return self.exit_code == 0 and self.answer.is_good

    @property
    def summary(self) -> str:
        """See Reply."""
        return one_line(f"key {self.shown}: {self.answer.told}")


class BundleRead(Reply, frozen=True, tag=True):
    """What a bundle announces, all of it read and right; and who signed it."""

    path: str
    manifest: Manifest
    signed_by: tuple[str, ...]

    @property
    def summary(self) -> str:
        """See Reply."""
        return one_line(f"{self.manifest.version}, build {self.manifest.build}")

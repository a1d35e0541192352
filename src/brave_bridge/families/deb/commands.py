"""The deb family's package manager as data: its commands, and its outputs read.

Follows apt-get(8), apt.conf(5) and dpkg(1). Nothing is run here.
"""

from collections.abc import Iterable, Sequence

import msgspec

from brave_bridge.core.crossing.family import ExactCommands, ExactStage, FetchAhead
from brave_bridge.core.crossing.replies import FileText
from brave_bridge.core.crossing.requests import Run
from brave_bridge.core.formats.apt_output import change_summary
from brave_bridge.core.formats.apt_release import read_archive_release
from brave_bridge.core.formats.deb822 import FormatError
from brave_bridge.core.formats.fault_lines import fault_lines
from brave_bridge.core.packages.changes import PackageChange, PackageChanges, difference
from brave_bridge.core.packages.updates import Outlook, Update
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.families.deb.ahead import (
    AHEAD_LISTS,
    CHOICE,
    OPTIONS,
    TEMPORARY,
    files_ahead,
)
from brave_bridge.families.deb.exact import (
    not_by_hand,
    preferences,
    stages_of,
    wanted,
)
from brave_bridge.families.deb.places import LISTS, MARKS, NAME, SET_ASIDE, STATUS, TOOLS
from brave_bridge.families.deb.settings import as_planned
from brave_bridge.families.deb.system import automatic_in
from brave_bridge.machines.port import STATE_FOLDER

QUIET = {
    "LC_ALL": "C",
    "DEBIAN_FRONTEND": "noninteractive",
    "APT_LISTCHANGES_FRONTEND": "none",
}
"""No question may reach a terminal: all were asked in the plan.

What ucf looks after needs no more: a file that nobody changed gets the new version, of one
that was changed the present one stays and the new one is set aside (ucf(1)).
"""

_KEEP_MINE_DPKG = ("--force-confdef", "--force-confold")
"""They win over a dpkg.cfg that says ``force-confnew``."""

_KEEP_MINE = tuple(
    word for option in _KEEP_MINE_DPKG for word in ("-o", f"Dpkg::Options::={option}")
)
_WAIT_FOR_LOCK = ("-o", "DPkg::Lock::Timeout=300")
"""Seconds to wait for another package manager, or for what an interrupted one left running."""

_NEW_ARE_AUTOMATIC = ("-o", "APT::Get::Mark-Auto=true")
"""By this apt itself marks what is new; not every apt knows it, so the marks are read anyway."""

_REPORT = ("-o", "APT::Status-Fd=3")
_AS_PLANNED = (*as_planned(), "-o", "quiet=1")
"""Against what an administrator may have set for their own calls: apt would do nothing and say that
all is well, take away more, or not say what it does."""

_ANY_RELEASE = ("-o", "APT::Default-Release=")
"""A leg goes from the release that it names to one that it does not: apt refuses to work then."""

_CHOICE_ONE = f"{STATE_FOLDER}/stage-one.preferences"
_CHOICE_TWO = f"{STATE_FOLDER}/stage-two.preferences"
_ONLY_OUR_CHOICE = ("-o", "Dir::Etc::preferencesparts=/dev/null", *_ANY_RELEASE)
"""The plan has weighed the machine's own pins: here they would only be in the way."""

_NO_TRACE = (
    "-o",
    "Debug::NoLocking=1",
    "-o",
    "Dir::Cache::pkgcache=",
    "-o",
    "Dir::Cache::srcpkgcache=",
)
_INSTALLED_ALONE = ("-o", "Dir::Etc::sourcelist=/dev/null", "-o", "Dir::Etc::sourceparts=/dev/null")
"""Whether what is installed fits together is asked of its own database: no index has to be read."""


def apt_get(
    title: str,
    *words: str,
    measures: str = "",
    amount: int = 0,
    reports: bool = False,
    again: bool = True,
) -> Run:
    """An apt-get command that asks nothing; ``measures``, ``amount`` and ``again``: see Run."""
    reports = reports or bool(measures)
    return Run(
        title=title,
        argv=("apt-get", *_AS_PLANNED, *(_REPORT if reports else ()), *words),
        environment=QUIET,
        reports_progress=reports,
        again=again,
        measures=measures,
        amount=amount,
    )


def _stage(title: str, *words: str) -> Run:
    options = (*_WAIT_FOR_LOCK, *_KEEP_MINE, "--yes")
    return apt_get(title, *options, *words, measures="packages", again=False)


class DebCommands:
    """apt and dpkg, as far as a crossing needs them."""

    name = NAME
    tools = TOOLS
    saved_suffix = ".dpkg-old"
    finish_words = "dpkg --configure -a"
    lists = LISTS
    database = STATUS
    index_descriptions = (f"{LISTS}/*_InRelease", f"{LISTS}/*_Release")
    set_aside_suffixes = SET_ASIDE
    marks = MARKS

    def answers(self) -> Run:
        return apt_get("See that the package manager runs", "--version")

    def refresh(self) -> Run:
        # Without this option a source that cannot be reached is a warning and exit code 0.
        return apt_get(
            "Fetch the indices", "-o", "APT::Update::Error-Mode=any", "update", reports=True
        )

    def simulate(self) -> Run:
        command = apt_get(
            "Ask the package manager what it would do",
            *_NO_TRACE,
            "--verbose-versions",
            "--assume-no",
            "full-upgrade",
        )
        # apt-get answers 1 where there is something to do and it was told not to.
        return msgspec.structs.replace(command, good_codes=(0, 1))

    def outlook(self, output: str) -> Outlook:
        summary = change_summary(output)
        return Outlook(
            updates=tuple(Update(row.name, row.old, row.new) for row in summary.upgraded),
            new=tuple(row.name for row in summary.new),
            removed=tuple(row.name for row in summary.removed),
            kept_back=tuple(row.name for row in summary.kept_back),
        )

    def download(self) -> Run:
        words = ("--yes", "--download-only", "full-upgrade")
        return apt_get("Download everything", *words, measures="download")

    def stage_one(self) -> Run:
        return _stage("Stage one", "upgrade")

    def stage_two(self) -> Run:
        return _stage("Stage two", "full-upgrade")

    def exactly(self, changes: PackageChanges) -> ExactCommands:
        first, rest = stages_of(changes)
        return ExactCommands(
            files=(
                FileText(_CHOICE_ONE, preferences(first)),
                FileText(_CHOICE_TWO, preferences(changes)),
            ),
            # Where all is asked for by name apt asks nothing: only a simulation holds it back.
            rehearse=self._exact(
                "Ask the package manager to rehearse the plan",
                _CHOICE_TWO,
                changes,
                "--verbose-versions",
                "--simulate",
            ),
            download=self._exact(
                "Download everything",
                _CHOICE_TWO,
                changes,
                "--yes",
                "--download-only",
                measures="download",
                amount=changes.download_bytes,
            ),
            stage_one=self._stage("Stage one", _CHOICE_ONE, first),
            # What is there already is not named again: apt would mark it as asked for.
            stage_two=self._stage("Stage two", _CHOICE_TWO, rest),
        )

    def _stage(self, title: str, choice: str, changes: PackageChanges) -> ExactStage | None:
        if not changes:
            return None
        asked_for = any(change.by_hand for change in changes.new)
        options = (*_WAIT_FOR_LOCK, *_KEEP_MINE, *(() if asked_for else _NEW_ARE_AUTOMATIC))
        command = self._exact(
            title,
            choice,
            changes,
            *options,
            "--yes",
            measures="packages",
            amount=changes.count,
            again=False,
        )
        return ExactStage(command, not_by_hand(changes))

    @staticmethod
    def _exact(
        title: str,
        choice: str,
        changes: PackageChanges,
        *words: str,
        measures: str = "",
        amount: int = 0,
        again: bool = True,
    ) -> Run:
        return apt_get(
            title,
            "-o",
            f"Dir::Etc::preferences={choice}",
            *_ONLY_OUR_CHOICE,
            *words,
            "--no-install-recommends",
            "--allow-downgrades",
            "install",
            *wanted(changes),
            measures=measures,
            amount=amount,
            again=again,
        )

    def fetch_ahead(self, plan: LegPlan) -> FetchAhead | None:
        files = files_ahead(plan, preferences(plan.packages))
        if not files:
            return None
        update = apt_get("", *OPTIONS, "-o", "APT::Update::Error-Mode=any", "update", reports=True)
        words = (*OPTIONS, "--yes", "--verbose-versions", "--download-only")
        download = self._exact(
            "Fetch indices and packages beside the snapshot",
            CHOICE,
            plan.packages,
            *words,
            measures="download",
            amount=plan.packages.download_bytes,
        )
        run = msgspec.structs.replace(download, first=update.argv, environment=QUIET | TEMPORARY)
        return FetchAhead(files=files, run=run, lists=AHEAD_LISTS)

    def unlike(self, changes: PackageChanges, output: str) -> list[str]:
        summary = change_summary(output)
        arriving = summary.upgraded + summary.downgraded + summary.new
        theirs = PackageChanges(
            upgraded=tuple(PackageChange(row.name, row.old, row.new, "") for row in arriving),
            removed=tuple(PackageChange(row.name, row.old, "", "") for row in summary.removed),
        )
        return list(difference(changes, theirs))

    def mark_automatic(self, names: Iterable[str], marks: str, native: str) -> Run | None:
        there = automatic_in(marks)
        missing = []
        for slot in names:
            name, _, architecture = slot.partition(":")
            if (name, architecture or native) not in there:
                missing.append(slot)
        if not missing:
            return None
        return Run(
            title="mark as automatic what nobody asked for",
            argv=("apt-mark", "auto", *missing),
            environment=QUIET,
        )

    def repair(self) -> tuple[Run, ...]:
        return (
            Run(
                title="Finish what was half configured",
                argv=("dpkg", *_KEEP_MINE_DPKG, "--configure", "--pending"),
                environment=QUIET,
                again=False,
            ),
            apt_get(
                "Mend what does not fit together",
                *_ANY_RELEASE,
                *_WAIT_FOR_LOCK,
                *_KEEP_MINE,
                "--yes",
                "--fix-broken",
                "install",
                again=False,
            ),
        )

    def quietly(self, title: str, argv: tuple[str, ...]) -> Run:
        tools = {"dpkg": _KEEP_MINE_DPKG, "apt-get": (*_WAIT_FOR_LOCK, *_KEEP_MINE)}
        options = tools.get(argv[0], ())
        return Run(title=title, argv=(argv[0], *options, *argv[1:]), environment=QUIET)

    def clear_away(self, names: Sequence[str]) -> Run | None:
        if not names:
            return None
        return Run(
            title="Clear away what the removed packages leave behind",
            argv=("dpkg", "--purge", *names),
            environment=QUIET,
        )

    def install_files(self, paths: Sequence[str], *, rehearse: bool) -> Run:
        words = ("--simulate", "--verbose-versions") if rehearse else ("--yes",)
        return apt_get(
            "Rehearse the installation" if rehearse else "Install what was fetched",
            *_WAIT_FOR_LOCK,
            *_KEEP_MINE,
            *words,
            "--no-install-recommends",
            "install",
            *paths,
            again=rehearse,
        )

    def reinstall(self, names: Iterable[str]) -> Run:
        return apt_get(
            "Install again what was cut off",
            *_ANY_RELEASE,
            *_WAIT_FOR_LOCK,
            *_KEEP_MINE,
            "--yes",
            "--reinstall",
            "install",
            *sorted(names),
            again=False,
        )

    def check(self) -> Run:
        title = "Let the package manager check itself"
        return apt_get(title, *_ANY_RELEASE, *_NO_TRACE, *_INSTALLED_ALONE, "check")

    def wrong_indices(self, plan: LegPlan, descriptions: Iterable[FileText]) -> str:
        leg = plan.leg
        wanted = {o.new_suite for o in plan.sources.outcomes if o.outcome == "renamed"}
        seen: dict[str, str] = {}
        for file in descriptions:
            try:
                release = read_archive_release(file.text, where=file.path)
            except FormatError as error:
                return str(error)
            for suite in wanted:
                if f"_dists_{suite.replace('/', '_')}_" in file.path:
                    seen[suite] = release.codename
                    if not _same_release(release.codename, release.suite, suite, leg.end.codename):
                        return (
                            f"{suite} says that it is {release.codename or release.suite}, "
                            f"not {leg.end.codename}"
                        )
        missing = sorted(wanted - seen.keys())
        return f"no index describes {', '.join(missing)}" if missing else ""

    def set_aside_by(self, managed_by: str) -> str:
        return ".ucf-dist" if managed_by == "ucf" else ".dpkg-dist"

    def faults(self, output: str) -> list[str]:
        return fault_lines(output)


def _same_release(codename: str, suite: str, wanted: str, end: str) -> bool:
    """Whether an archive's own names are those of the suite that was asked for."""
    names = {codename, suite}
    return wanted in names or (codename.partition("-")[0].partition("/")[0] == end)

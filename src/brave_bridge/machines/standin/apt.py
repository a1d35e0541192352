"""A rendering of the apt-get commands that the deb family uses (apt-get(8)).

It prints the lists and error lines, writes the status descriptor and ends with the exit
codes of the real one, over the stand-in's files.
"""

import os
import time
from fnmatch import fnmatchcase

from brave_bridge.core.formats.apt_preferences import read_pins
from brave_bridge.core.packages.updates import holds_back
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.port import MachineError
from brave_bridge.machines.standin.database import (
    STATUS,
    ConffileQuestion,
    Database,
    ScriptFailed,
)
from brave_bridge.machines.standin.fetch import Archives, FetchFault
from brave_bridge.machines.standin.marks import mark
from brave_bridge.machines.standin.packages import read_package
from brave_bridge.machines.standin.resolver import CannotChoose, Resolver, Solution, Stanza, exactly


class AptGet:
    """One apt-get command on a stand-in. ``run`` gives its exit code."""

    def __init__(self, machine: FolderMachine, words: list[str]) -> None:
        self.machine = machine
        self.options: dict[str, list[str]] = {}
        self.flags: set[str] = set()
        self.command: list[str] = []
        self._parse(words)
        lists = self._option("Dir::State::lists", "/var/lib/apt/lists")
        self.archives = Archives(
            machine,
            lists,
            self._option("Dir::Etc::sourcelist", "/etc/apt/sources.list"),
            self._option("Dir::Etc::sourceparts", "/etc/apt/sources.list.d"),
        )
        self.cache = self._option("Dir::Cache", "/var/cache/apt") + "/archives"
        self.database = Database(machine, self._option("Dir::State::status", STATUS))
        self.status = self._open_status()

    def _parse(self, words: list[str]) -> None:
        pending = list(words)
        while pending:
            word = pending.pop(0)
            if word == "-c" and pending:
                pending.pop(0)
            elif word == "-o" and pending:
                name, _, value = pending.pop(0).partition("=")
                self.options.setdefault(name.rstrip(":"), []).append(value)
            elif word.startswith("-"):
                self.flags.add(word)
            else:
                self.command.append(word)

    def _option(self, name: str, default: str) -> str:
        return self.options.get(name, [default])[-1]

    def _open_status(self):
        number = self._option("APT::Status-Fd", "")
        return os.fdopen(int(number), "w", buffering=1) if number else None

    def _tell(self, kind: str, subject: str, percent: float, text: str) -> None:
        if self.status:
            self.status.write(f"{kind}:{subject}:{percent:.4f}:{text}\n")

    def run(self) -> int:
        """Carry the command out."""
        if "--version" in self.flags:
            print("apt of a stand-in")
            return 0
        changes = self.command[0] in ("upgrade", "full-upgrade") or self._asks_for_versions
        if self.database.unfinished() and changes:
            print(
                "E: dpkg was interrupted, you must manually run 'dpkg --configure -a' to "
                "correct the problem. "
            )
            return 100
        carry_out = {
            "update": self._update,
            "upgrade": self._change,
            "full-upgrade": self._change,
            "install": self._change if self._asks_for_versions else self._fix_broken,
            "check": self._check,
            "clean": self._clean,
        }.get(self.command[0] if self.command else "")
        if carry_out is None:
            print(f"E: Invalid operation {' '.join(self.command)}")
            return 100
        return carry_out()

    @property
    def _asks_for_versions(self) -> bool:
        wanted = self.command[:1] == ["install"] and len(self.command) > 1
        return wanted and "--reinstall" not in self.flags

    def _update(self) -> int:
        failures = []
        suites = self.archives.suites()
        for number, (entry, uri, suite) in enumerate(suites, start=1):
            self._tell(
                "dlstatus",
                str(number),
                100 * number / len(suites),
                f"Retrieving file {number} of {len(suites)}",
            )
            try:
                self.archives.refresh_suite(entry, uri, suite)
                print(f"Get:{number} {uri} {suite} InRelease")
            except FetchFault as fault:
                print(f"Err:{number} {uri} {suite} InRelease\n  {fault.message}")
                failures.append(fault.message)
            self._pause()
        self.archives.drop_stale()
        print("Reading package lists...")
        for message in failures:
            print(f"E: {message}")
        return 100 if failures else 0

    def _solution(self) -> Solution:
        installed = self.database.installed()
        held = {name for name in installed if self.database.held(name)}
        offered = self.archives.offered()
        if self.command[0] == "install":
            files = [self._of_file(word) for word in self.command[1:] if word.startswith("/")]
            words = [word for word in self.command[1:] if not word.startswith("/")]
            words += [f"{stanza['Package']}={stanza['Version']}" for stanza in files]
            self.command = ["install", *words]
            return exactly(words, installed, offered + files)
        resolver = Resolver(installed, held, self._not_held_back(offered))
        return resolver.upgrade() if self.command[0] == "upgrade" else resolver.full_upgrade()

    def _of_file(self, path: str) -> Stanza:
        """A package file on the machine, as if an archive offered it; it is in the cache then."""
        content = self.machine.files.read(path, 1 << 28)
        stanza = {**read_package(content).fields, "X-Archive": path}
        self.machine.files.write(self._cached(stanza), content)
        return stanza

    def _not_held_back(self, offered: list[Stanza]) -> list[Stanza]:
        """What is offered, without what a pin of the machine keeps away."""
        parts = self._option("Dir::Etc::preferencesparts", "/etc/apt/preferences.d")
        paths = self.machine.files.matching(f"{parts}/*") if parts != "/dev/null" else []
        texts = {path: self.machine.files.read(path, 1_000_000).decode() for path in paths}
        pins = [pin for path, text in texts.items() for pin in read_pins(text, path)]
        return [
            stanza
            for stanza in offered
            if not any(
                holds_back(pin, stanza["Package"]) and not fnmatchcase(stanza["Version"], pin.value)
                for pin in pins
            )
        ]

    def _change(self) -> int:
        installed = self.database.installed()
        try:
            solution = self._solution()
        except CannotChoose as refusal:
            print(f"{refusal}\nE: Unable to correct problems, you have held broken packages.")
            return 100
        print("Reading package lists...\nBuilding dependency tree...\nCalculating upgrade...")
        self._print_lists(solution, installed)
        if "--simulate" in self.flags or not (solution.changed or solution.removed):
            return 0
        if "--assume-no" in self.flags:
            print("Do you want to continue? [Y/n] N\nAbort.")
            return 1
        try:
            self._download(solution)
        except FetchFault as fault:
            print(
                f"E: {fault.message}\nE: Unable to fetch some archives, maybe run apt-get "
                "update or try with --fix-missing?"
            )
            return 100
        except MachineError as error:
            print(f"E: Write error - write ({error.seen})")
            return 100
        if "--download-only" in self.flags:
            print("Download complete and in download only mode")
            return 0
        return self._apply(solution, installed)

    def _print_lists(self, solution: Solution, installed: dict[str, Stanza]) -> None:
        new = {n: s for n, s in solution.changed.items() if n not in installed}
        upgraded = {n: s for n, s in solution.changed.items() if n in installed}
        candidates = {s["Package"]: s["Version"] for s in self.archives.offered()}
        for title, rows in (
            (
                "The following packages will be REMOVED:",
                [(n, installed[n]["Version"]) for n in sorted(solution.removed)],
            ),
            (
                "The following NEW packages will be installed:",
                [(n, s["Version"]) for n, s in sorted(new.items())],
            ),
            (
                "The following packages have been kept back:",
                [
                    (n, f"{installed[n]['Version']} => {candidates[n]}")
                    for n in sorted(solution.kept)
                ],
            ),
            (
                "The following packages will be upgraded:",
                [
                    (n, f"{installed[n]['Version']} => {s['Version']}")
                    for n, s in sorted(upgraded.items())
                ],
            ),
        ):
            if rows:
                print(title)
                for name, versions in rows:
                    print(f"   {name} ({versions})")
        print(
            f"{len(upgraded)} upgraded, {len(new)} newly installed, {len(solution.removed)} to "
            f"remove and {len(solution.kept)} not upgraded."
        )

    def _cached(self, stanza: Stanza) -> str:
        version = stanza["Version"].replace(":", "%3a")
        return f"{self.cache}/{stanza['Package']}_{version}_{stanza['Architecture']}.deb"

    def _download(self, solution: Solution) -> None:
        wanted = [
            s for s in solution.changed.values() if not self.machine.files.is_file(self._cached(s))
        ]
        for number, stanza in enumerate(wanted, start=1):
            self._tell(
                "dlstatus",
                str(number),
                100 * number / len(wanted),
                f"Retrieving file {number} of {len(wanted)}",
            )
            content = self.archives.package(stanza)
            self.machine.files.write(self._cached(stanza), content)
            print(
                f"Get:{number} {stanza['X-Archive']} {stanza['Package']} {stanza['Version']} "
                f"[{len(content)} B]"
            )
            self._pause(0.5)

    def _apply(self, solution: Solution, installed: dict[str, Stanza]) -> int:
        total = 2 * len(solution.changed) + len(solution.removed)
        step = 0
        for name in sorted(solution.removed):
            step += 1
            print(f"Removing {name} ({installed[name]['Version']}) ...")
            self._tell("pmstatus", name, 100 * step / total, f"Removing {name}")
            self.database.remove(name)
            self._pause()
        ordered = _dependencies_first(solution.changed)
        for name in ordered:
            step += 1
            stanza = solution.changed[name]
            print(f"Unpacking {name} ({stanza['Version']}) ...", flush=True)
            self._tell("pmstatus", name, 100 * step / total, f"Unpacking {name}")
            self.database.unpack(
                read_package(self.machine.files.read(self._cached(stanza), 1 << 28))
            )
            self._pause()
        failed = self._configure(ordered, step, total)
        self._mark(set(solution.changed), set(installed), whole=not failed)
        return failed

    def _mark(self, changed: set[str], before: set[str], *, whole: bool) -> None:
        """What comes with others is automatic, what is named is not; an upgrade keeps its mark.

        That new packages are automatic is only seen to where all went well.
        """
        named: set[str] = set()
        if self.command[0] == "install":
            named = {word.partition("=")[0] for word in self.command[1:]} - (changed & before)
        if whole and self._option("APT::Get::Mark-Auto", "") == "true":
            named -= changed
        mark(self.machine, changed - before - named, "auto")
        mark(self.machine, named, "manual")

    def _configure(self, names: list[str], step: int, total: int) -> int:
        failed = []
        for name in names:
            step += 1
            print(f"Setting up {name} ({self.database.stanzas[name]['Version']}) ...", flush=True)
            self._tell("pmstatus", name, 100 * step / max(total, 1), f"Configuring {name}")
            if error := configure_one(self.database, name, self._keep_mine()):
                self._tell(error[0], name, 100 * step / max(total, 1), error[1])
                failed.append(name)
        if failed:
            print("Errors were encountered while processing:")
            for name in failed:
                print(f" {name}")
            print("E: Sub-process /usr/bin/dpkg returned an error code (1)")
        return 100 if failed else 0

    def _keep_mine(self) -> bool | None:
        words = self.options.get("Dpkg::Options", [])
        if "--force-confnew" in words:
            return False
        return True if "--force-confold" in words else None

    def _fix_broken(self) -> int:
        names = self.database.unfinished()
        failed = self._configure(names, 0, len(names))
        if failed:
            return failed
        faults = Resolver(self.database.installed(), set(), []).faults()
        if faults:
            print("\n".join(faults))
            print("E: Error, pkgProblemResolver::Resolve generated breaks")
            return 100
        return 0

    def _check(self) -> int:
        faults = Resolver(self.database.installed(), set(), []).faults()
        if self.database.unfinished():
            print(
                "E: dpkg was interrupted, you must manually run 'dpkg --configure -a' to "
                "correct the problem. "
            )
            return 100
        if faults:
            print("You might want to run 'apt --fix-broken install' to correct these.")
            print("The following packages have unmet dependencies:\n" + "\n".join(faults))
            print(
                "E: Unmet dependencies. Try 'apt --fix-broken install' with no packages "
                "(or specify a solution)."
            )
            return 100
        return 0

    def _clean(self) -> int:
        for path in self.machine.files.matching(f"{self.cache}/*.deb"):
            self.machine.files.remove(path)
        return 0

    def _pause(self, share: float = 1.0) -> None:
        if self.archives.settings.pace_seconds:
            time.sleep(self.archives.settings.pace_seconds * share)


def configure_one(database: Database, name: str, keep_mine: bool | None) -> tuple[str, str] | None:
    """Configure a package; what goes on the status descriptor where that fails."""
    try:
        database.configure(name, keep_mine, print)
    except ConffileQuestion as question:
        print(
            f"dpkg: error processing package {name} (--configure):\n end of file on stdin at "
            f"conffile prompt"
        )
        return "pmconffile", f"'{question}' '{question}.dpkg-new' 1 1"
    except ScriptFailed as failure:
        print(f"dpkg: error processing package {name} (--configure):\n {failure}")
        return "pmerror", str(failure)
    return None


def _dependencies_first(changed: dict[str, Stanza]) -> list[str]:
    """The packages in an order in which what others need comes first, as far as that goes."""
    ordered: list[str] = []
    visiting: set[str] = set()

    def visit(name: str) -> None:
        if name in visiting or name not in changed:
            return
        visiting.add(name)
        for clause in Resolver._needs(changed[name]):
            for option, _, _ in clause:
                visit(option)
        ordered.append(name)

    for name in sorted(changed):
        visit(name)
    return ordered

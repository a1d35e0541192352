"""The planning script fed with replies: no machine, no package manager."""

import msgspec
import pytest

from brave_bridge.core.crossing.planner import PlanFault
from brave_bridge.core.crossing.requests import (
    CandidatesFound,
    ChangesExplained,
    Done,
    ExplainChanges,
    Failed,
    FilesRead,
    FileText,
    FindCandidates,
    Ran,
    ReadFiles,
    Run,
    WriteFiles,
)
from brave_bridge.core.formats.apt_sources import SourceFile, entries
from brave_bridge.core.formats.apt_status_db import Candidate
from brave_bridge.core.releases.route import find_route
from brave_bridge.families.deb.planning import SimulationPlanner
from tests.support.facts import TODAY, facts, quayside

OWN = "http://archive.quayside.example/quayside"
OTHER = "http://packages.estuary.example/instruments"
SOURCES = SourceFile(
    "/etc/apt/sources.list",
    f"deb {OWN} bowline-5.3 main\n# deb {OWN} bowline-5.3 old\ndeb {OTHER} bowline-5.3 main\n",
)
FULL = """Calculating upgrade...
The following packages will be REMOVED:
   quay-webd (1.18)
The following NEW packages will be installed:
   libtls3 (3.0-1)
The following packages will be upgraded:
   quay-libc (2.31-7 => 2.39-3)
1 upgraded, 1 newly installed, 1 to remove and 0 not upgraded.
"""
GENTLE = """The following packages will be upgraded:
   quay-libc (2.31-7 => 2.39-3)
1 upgraded, 0 newly installed, 0 to remove and 1 not upgraded.
"""


def legs(*names: str):
    """The legs from the first release to the last."""
    line = quayside()
    return find_route(line, line.release(names[0]), line.release(names[-1]), TODAY).legs


def _stem(uri: str) -> str:
    return uri.removeprefix("http://").replace("/", "_")


def description(uri: str, suite: str, codename: str = "") -> FileText:
    text = f"Origin: Quayside\nSuite: {codename or suite}\nCodename: {codename or suite}\nSHA256:\n"
    return FileText(f"/plans/0/lists/{_stem(uri)}_dists_{suite}_InRelease", text)


def ran(code: int = 0, output: str = "") -> Ran:
    return Ran(code, output, 0.1, "job")


class Replies:
    """Answers requests as an archive would that has these descriptions."""

    def __init__(self, *described: FileText, full: Ran | None = None) -> None:
        self.described = described
        self.explained: list[ExplainChanges] = []
        self.explains = Failed("planning", "not today")
        self.full = full or ran(1, FULL)
        self.written: list[tuple[FileText, ...]] = []
        self.argvs: list[tuple[str, ...]] = []

    def answer(self, request):
        """The reply to a request."""
        if isinstance(request, WriteFiles):
            self.written.append(request.files)
            return Done()
        if isinstance(request, Run):
            self.argvs.append(request.argv)
            return self._run(request.argv)
        if isinstance(request, FindCandidates):
            return CandidatesFound(tuple(map(candidate, ("quay-libc", "libtls3"))))
        if isinstance(request, ExplainChanges):
            self.explained.append(request)
            return self.explains
        assert isinstance(request, ReadFiles)
        if "status" in request.patterns[0]:
            return FilesRead((FileText("/var/lib/dpkg/status", STATUS_TEXT),))
        return FilesRead(self.described)

    def _run(self, argv) -> Ran:
        if argv[-1] == "update":
            lines = [line for file in self.written[-1] for line in file.text.splitlines()]
            wanted = [line.split()[1] for line in lines if line.startswith("deb ")]
            missing = [
                uri for uri in wanted if not any(_stem(uri) in d.path for d in self.described)
            ]
            output = "".join(f"Err:1 {uri} InRelease\n  404  Not Found\n" for uri in missing)
            return ran(100 if missing else 0, output)
        return self.full if argv[-1] == "full-upgrade" else ran(1, GENTLE)


STATUS_TEXT = (
    "Package: quay-libc\nStatus: install ok installed\nVersion: 2.31-7\nArchitecture: amd64\n"
    "Conffiles:\n /etc/quay-libc.conf abc\n\n"
    "Package: quay-webd\nStatus: install ok installed\nVersion: 1.18\nArchitecture: amd64\n"
)


def candidate(name: str) -> Candidate:
    version = {"quay-libc": "2.39-3", "libtls3": "3.0-1"}[name]
    needs = {"quay-libc": {"Depends": "libtls3 (>= 3)", "Breaks": "quay-webd (<< 2)"}}
    return Candidate(
        name=name, version=version, download_bytes=1000, installed_kib=30, section="libs",
        architecture="amd64",
        relations=needs.get(name, {}),
        stanza=f"Package: {name}\nVersion: {version}\nArchitecture: amd64\nFilename: pool/x\n",
    )  # fmt: skip


def planned(replies: Replies, *route: str, sources: SourceFile = SOURCES):
    given = facts(sources_file=sources, sources=tuple(entries(sources)))
    script = SimulationPlanner().plan(given, legs(*(route or ("5.3", "7"))), "/plans")
    try:
        request = next(script)
        while True:
            request = script.send(replies.answer(request))
    except StopIteration as end:
        return end.value


def test_a_third_party_that_lacks_the_release_is_paused_and_the_rest_planned():
    replies = Replies(description(OWN, "diamond"))
    (plan,) = planned(replies)
    assert [(s.uri, s.outcome) for s in plan.sources] == [(OWN, "renamed"), (OTHER, "paused")]
    assert plan.source_files[0].text.splitlines() == [
        f"deb {OWN} diamond main",
        f"# deb {OWN} bowline-5.3 old",
        f"# deb {OTHER} bowline-5.3 main  # paused by Brave Bridge before 7 diamond: not there yet",
    ]
    assert [(c.name, c.reason) for c in plan.removed] == [
        ("quay-webd", "cannot stand beside the new quay-libc")
    ]
    assert [(c.name, c.reason) for c in plan.new] == [("libtls3", "needed by quay-libc")]
    assert (plan.download_bytes, plan.first_stage) == (2000, ("quay-libc",))
    assert plan.disk_bytes == (30 - 10 + 30 - 10) * 1024


def test_a_proven_reason_takes_the_place_of_what_packages_say():
    replies = Replies(description(OWN, "diamond"))
    replies.explains = ChangesExplained({"quay-webd": "proved"}, ("quay-webd",), (), True)
    (plan,) = planned(replies)
    assert [(c.name, c.reason) for c in plan.removed] == [("quay-webd", "proved")]
    (request,) = replies.explained
    assert (request.lists, request.removed) == ("/plans/0/lists", ("quay-webd",))


def test_only_isolated_folders_are_written_and_named():
    replies = Replies(description(OWN, "diamond"))
    planned(replies)
    assert all(f.path.startswith("/plans/0/") for files in replies.written for f in files)
    for argv in replies.argvs:
        options = [argv[n + 1] for n, word in enumerate(argv) if word == "-o"]
        assert "Dir::State::lists=/plans/0/lists" in options
        assert "Dir::Etc::sourcelist=/plans/0/sources.list" in options
        assert "--yes" not in argv


def test_the_distributions_own_source_that_fails_stops_it():
    fault = planned(Replies(description(OTHER, "diamond")))
    assert isinstance(fault, PlanFault)
    assert "404" in fault.seen and "check the source" in fault.remedy


def test_indices_of_another_release_are_refused():
    only = SourceFile("/etc/apt/sources.list", f"deb {OWN} bowline-5.3 main\n")
    fault = planned(Replies(description(OWN, "diamond", "carrick")), sources=only)
    assert isinstance(fault, PlanFault)


def test_sources_that_do_not_name_the_release_cannot_be_turned():
    moving = SourceFile("/etc/apt/sources.list", f"deb {OWN} stable main\n")
    fault = planned(Replies(), sources=moving)
    assert "no active source names bowline-5.3" in fault.seen


@pytest.mark.parametrize(
    "full",
    [
        ran(100, "E: Unmet dependencies.\n"),
        msgspec.structs.replace(ran(-1), lost=True),
        ran(1, "E: The package cache file is corrupted\n"),
    ],
)
def test_a_simulation_that_fails_is_told(full):
    fault = planned(Replies(description(OWN, "diamond"), full=full))
    assert isinstance(fault, PlanFault) and "computing 5.3 bowline to 7 diamond" in fault.attempted


def test_the_second_leg_is_planned_on_what_the_first_leaves():
    replies = Replies(description(OWN, "diamond"), description(OWN, "englefield"))
    first, second = planned(replies, "5.3", "8")
    predicted = next(
        f.text for files in replies.written for f in files if f.path.endswith("status-afterwards")
    )
    assert "Version: 2.39-3" in predicted and "libtls3" in predicted
    assert "quay-webd" not in predicted and "Filename" not in predicted
    assert "/etc/quay-libc.conf abc" in predicted
    later = [argv for argv in replies.argvs if "Dir::State::lists=/plans/1/lists" in argv]
    assert all("Dir::State::status=/plans/0/status-afterwards" in argv for argv in later)
    assert second.sources_before == first.source_files

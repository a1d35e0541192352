"""Sources that wait: commented out, found again, taken up as they were."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.crossing.replies import (
    Done,
    FactsRead,
    Failed,
    Ran,
    SuiteFound,
    SuitesFetched,
)
from brave_bridge.core.crossing.requests import FetchSuites, ReadFacts, Run, WriteFiles
from brave_bridge.core.crossing.take_up_sources import take_up_sources
from brave_bridge.core.formats.apt_sources import SourceFile, entries
from brave_bridge.core.formats.paused_sources import (
    commented_out,
    paused_in,
    taken_up,
    waiting_note,
)
from brave_bridge.families.deb.commands import DebCommands
from brave_bridge.families.deb.waiting import waiting_sources
from tests.core.test_apt_sources import LINES, STANZAS
from tests.core.test_cross_script import drive
from tests.support.facts import facts, quayside

NOTE = waiting_note("7 diamond")


def test_pausing_keeps_every_line_in_its_place():
    for file in (LINES, STANZAS):
        first = entries(file)[0]
        off = commented_out(file, lambda e, first=first: e.line == first.line, NOTE)
        assert entries(off) == entries(file)[1:]
        assert len(off.text.splitlines()) == len(file.text.splitlines())
        (waiting,) = paused_in(off)
        assert (waiting.entry, waiting.before) == (first, "7 diamond")


ONE_LINES = (
    "deb http://b.example/x bowline main",
    " deb [arch=amd64] http://b.example/y ./  ",
    "deb-src http://b.example/x bowline main  # kept",
    "# a remark",
    "rubbish",
    "",
    "# deb http://c.example/x bowline main",
)
FIELDS = (
    "Types: deb",
    "URIs: http://b.example/x",
    "Suites: bowline",
    " bowline-updates",
    "# a remark",
    "#no remark",
    "Signed-By:",
    " -----BEGIN PGP",
    " .",
    "  \t",
    "",
    "Components: main",
)
WHOLE = ["Types: deb", "URIs: http://b.example/x", "Suites: bowline", "# a remark", ""]


@st.composite
def source_files(draw) -> SourceFile:
    """A file in one of the notations, with remarks, odd spaces and what is no source."""
    if draw(st.booleans()):
        lines, name = draw(st.lists(st.sampled_from(ONE_LINES), max_size=12)), "x.list"
    else:
        pieces = st.one_of(st.just(WHOLE), st.lists(st.sampled_from(FIELDS), max_size=5))
        lines = [line for piece in draw(st.lists(pieces, max_size=6)) for line in piece]
        name = "x.sources"
    ending = draw(st.sampled_from(["\n", ""]))
    return SourceFile(f"/etc/apt/sources.list.d/{name}", "\n".join(lines) + ending)


@given(source_files())
def test_what_is_taken_up_is_as_it_was(file):
    off = commented_out(file, lambda entry: True, NOTE)
    assert entries(off) == []
    assert [one.entry for one in paused_in(off)] == entries(file)
    back = off
    for one in paused_in(off):
        back = taken_up(back, one.entry.line, {})
    assert back == file


def test_what_somebody_edited_is_passed_by():
    text = f"# deb  # {NOTE}\n# x http://b.example/x bowline main  # {NOTE}\n"
    assert paused_in(SourceFile("/etc/apt/sources.list", text)) == []


OTHER = "http://b.example/x"
WAITING = SourceFile(
    "/etc/apt/sources.list.d/b.list",
    f"# the gauges\n# deb {OTHER} bowline-5.3 main  # {NOTE}\n",
)


class Machine:
    """Answers as a machine with 7 whose other source has these suites."""

    def __init__(self, *there: str, fault: str = "") -> None:
        self.there = there
        self.fault = fault
        self.written: list[tuple[str, ...]] = []

    def reply(self, request):
        match request:
            case ReadFacts():
                return FactsRead(facts(sources_file=WAITING))
            case FetchSuites():
                return SuitesFetched(tuple(map(self._found, request.suites)))
            case WriteFiles():
                self.written.append(tuple(file.text for file in request.files))
                return Done()
            case Run():
                return Ran(100 if self.fault else 0, self.fault, 1.0, "1")
        return Failed("?", str(request))

    def _found(self, wanted) -> SuiteFound:
        missing = wanted.suite not in self.there
        return SuiteFound(
            uri=wanted.uri, suite=wanted.suite, missing=missing, fault="404" if missing else ""
        )


def outcome(machine: Machine):
    line = quayside()
    waiting = tuple(waiting_sources((WAITING,), line, line.release("7")))
    return drive(take_up_sources(DebCommands(), waiting, "/sources"), machine)


def test_a_source_that_has_the_release_by_now_is_taken_up():
    machine = Machine("diamond")
    done = outcome(machine)
    assert (done.state, done.taken_up, done.left) == ("done", (f"{OTHER} diamond",), ())
    assert machine.written == [(f"# the gauges\ndeb {OTHER} diamond main\n",)]


def test_one_that_has_not_waits_on():
    machine = Machine()
    done = outcome(machine)
    assert done.left == (f"{OTHER}: it does not have the release yet",)
    assert machine.written == [] and done.taken_up == ()


@pytest.mark.parametrize(
    "fault", [f"E: Failed to fetch {OTHER}/dists/diamond/InRelease  404\n", "E: no space left\n"]
)
def test_where_it_cannot_be_fetched_it_is_put_back(fault):
    machine = Machine("diamond", fault=fault)
    done = outcome(machine)
    assert (done.state, done.at) == ("stopped", "fetching") and done.why in fault
    assert machine.written[-1] == (WAITING.text,)


def test_another_source_that_fails_is_told_and_stands_in_nobodys_way():
    machine = Machine("diamond", fault="E: Failed to fetch http://c.example/x/InRelease  404\n")
    done = outcome(machine)
    assert done.taken_up == (f"{OTHER} diamond",) and "c.example" in done.failed_sources[0]

"""The picture of each view says what its list says, and leads to the rows of it."""

from datetime import UTC, date, datetime, timedelta

import msgspec
import pytest

from brave_bridge.core.crossing.requests import Run
from brave_bridge.core.estimate import Speeds, estimate
from brave_bridge.core.plan.amounts import amounts
from brave_bridge.core.plan.exchange_steps import MediumStep
from brave_bridge.core.plan.steps import RestartStep
from brave_bridge.core.survey.findings import Verdict
from brave_bridge.drawings.chart import Chart
from brave_bridge.drawings.chart_text import drawn
from brave_bridge.runner.briefs import CrossBrief, SnapshotBrief, encode_brief
from brave_bridge.store.rows import EntryRow, ProcedureRow, SampleRow
from brave_bridge.workbench.members import fleet_members
from brave_bridge.workbench.outlook.forecast import work_of
from brave_bridge.workbench.pages.fleet import fleet_page
from brave_bridge.workbench.pages.page import Page
from brave_bridge.workbench.papers.drawing import PAGES, draw, report
from brave_bridge.workbench.pictures.crossing import crossing_picture
from brave_bridge.workbench.pictures.exchanged import exchange_lanes
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.reading import _read, read_machine
from brave_bridge.workbench.record import Live, MachineRecord
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.targets import Target
from tests.support.facts import plan

TODAY = datetime.now(UTC).date()


@pytest.fixture
def petrel(stand_in, monkeypatch, tmp_path) -> MachineRecord:
    """petrel with its ways back and a plan, as it was read."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    desk = stand_in("petrel", with_ways_back=True)
    Plans(desk).make("7")
    return _read(desk, MachineRecord(name="petrel", about="a server", words=()), "")


def rows_led_to(page: Page, picture: Chart) -> set[str]:
    """The rows that lanes lead to."""
    return {lane.key for lane in picture.lanes if lane.key}


@pytest.mark.parametrize("name", ["survey", "route", "plan", "ways-back"])
def test_every_lane_leads_to_a_row_that_is_there(petrel, name):
    page = PAGES[name](petrel, TODAY)
    assert page.picture is not None and page.picture.telling and page.picture.legend
    assert rows_led_to(page, page.picture) <= {row.key for row in page.rows}
    for width, height in ((96, 12), (60, 6), (78, 1)):
        rows = drawn(page.picture, width, height)
        assert rows and all(len(row) <= width for row in rows)


def test_what_goes_away_stands_first_in_picture_and_list(petrel):
    page = PAGES["plan"](petrel, TODAY)
    assert page.picture.lanes[0].name == "goes away"
    assert page.picture.lanes[0].tone == "stop" and page.picture.lanes[0].note == "2"
    headings = [row.cells[1] for row in page.rows if row.tone == "heading"]
    groups = [words for words in headings if "package" in words]
    assert groups[0] == "2 packages that would go away"
    assert "2 would go away" in page.picture.telling


def test_stones_are_as_many_as_there_are_findings_in_the_way(petrel):
    grave = [f for f in petrel.surveyed.findings if f.verdict in (Verdict.STOP, Verdict.CAUTION)]
    picture = PAGES["survey"](petrel, TODAY).picture
    stones = [m for lane in picture.lanes for m in lane.marks if m.symbol in "■▲"]
    assert len(stones) == len(grave) > 0
    keys = [key for lane in picture.lanes for key in lane.rows]
    assert len(keys) == len(set(keys)) == len(grave), "each is in one lane"


def test_a_wedge_of_loss_grows_with_the_age_of_a_way_back(petrel):
    picture = PAGES["ways-back"](petrel, TODAY).picture
    newest, *_, oldest = (lane.bars[0] for lane in picture.lanes)
    assert newest.fill == oldest.fill == "rising"
    assert oldest.end - oldest.start > newest.end - newest.start
    damaged = [lane for lane in picture.lanes if any(m.symbol == "╳" for m in lane.marks)]
    assert len(damaged) == sum(not way.kept.is_whole for way in petrel.ways_back) == 1


def fleet(count: int, petrel: MachineRecord) -> list[MachineRecord]:
    return [msgspec.structs.replace(petrel, name=f"m{number:03}") for number in range(count)]


def test_a_large_fleet_is_folded_by_line_and_release(petrel):
    other = msgspec.structs.replace(petrel.surveyed, release=None, line=None)
    records = [*fleet(300, petrel), msgspec.structs.replace(petrel, name="odd", surveyed=other)]
    page = fleet_page(records, TODAY, "name")
    names = [lane.name for lane in page.picture.lanes]
    assert len(names) == 2 and any(name.endswith("Quayside 5.3 ×300") for name in names)
    assert sum(len(lane.rows) for lane in page.picture.lanes) == 301
    small = fleet_page(fleet(5, petrel), TODAY, "name").picture
    assert [lane.key for lane in small.lanes] == [f"m00{n}" for n in range(5)]


def test_support_that_has_ended_is_told_by_shape_and_by_words(petrel):
    ended = msgspec.structs.replace(
        petrel.surveyed.release, support_ends=TODAY - timedelta(100), released=date(2024, 1, 1)
    )
    record = msgspec.structs.replace(
        petrel, surveyed=msgspec.structs.replace(petrel.surveyed, release=ended)
    )
    picture = fleet_page([record], TODAY).picture
    assert [bar.fill for bar in picture.lanes[0].bars] == ["solid", "dotted"]
    assert picture.lanes[0].note == "none for 100 d"
    assert picture.telling == "■ 1 machine without fixes: petrel"


def test_the_whole_demo_fleet_is_drawn(demo_world, monkeypatch, tmp_path):
    monkeypatch.setattr(
        "brave_bridge.workbench.demo.demo_folder", lambda: demo_world, raising=False
    )
    _, members = fleet_members((), demo=True)
    for record in map(read_machine, members):
        for make in PAGES.values():
            picture = make(record, TODAY).picture
            assert picture is None or drawn(picture, 96, 12)


def test_what_cannot_be_drawn_is_refused_with_what_can(tmp_path):
    with pytest.raises(Refused, match="there is no picture moon") as told:
        draw("moon", Target("demo", "petrel"), tmp_path)
    assert "fleet" in told.value.remedy and "route" in told.value.remedy
    with pytest.raises(Refused, match="there is no machine nobody"):
        draw("route", Target("demo", "petrel"), tmp_path, "nobody")


def test_the_folder_of_a_report_is_made(petrel, tmp_path):
    path = report(petrel, tmp_path / "new" / "one")
    assert path.read_bytes().startswith(b"%PDF")


def entry(seq: int, kind: str, began: str, ended: str) -> EntryRow:
    at = "2026-11-29T12:"
    return EntryRow("p", seq, kind, kind, b"", at + began, at + ended, b"", True, 100.0, "", "")


def test_a_crossing_is_drawn_also_where_the_clock_went_back_while_it_waited():
    entries = (
        entry(0, "Run", "10:00+00:00", "10:10+00:00"),
        entry(1, "Ask", "10:10+00:00", "10:40+00:00"),
        entry(2, "Run", "08:00+00:00", "08:05+00:00"),
        entry(3, "Run", "10:45+00:00", "10:50+00:00"),
    )
    brief = encode_brief(SnapshotBrief("for a test"))
    row = ProcedureRow("p", "crossing", "t", brief, "done", "", "", None, False, False)
    live = Live(row, entries, (), at_work=False)
    (lane,) = crossing_picture(MachineRecord(name="m", about="", words=(), live=live), 4).lanes
    assert [bar.end for bar in lane.bars] == [0.2, 0.8, 0.8, 1.0]
    assert [bar.start for bar in lane.bars] == [0.0, 0.2, 0.8, 0.8]
    assert lane.bars[1].fill == "dotted" and lane.note == "50 s, 30 s on you"


def test_the_curves_of_a_crossing_are_what_was_measured(petrel):
    brief = CrossBrief("deb", petrel.plan.legs, estimate=100.0)
    whole = petrel.plan.legs[0].download_bytes
    run = Run(title="Download", argv=("true",), measures="download", amount=whole)
    failed = msgspec.structs.replace(entry(0, "Run", "10:00+00:00", "10:20+00:00"), ok=False)
    again = entry(1, "Run", "10:20+00:00", "10:40+00:00")
    entries = tuple(
        msgspec.structs.replace(one, request=msgspec.json.encode(run)) for one in (failed, again)
    )
    samples = (
        SampleRow("p", 0, "2026-11-29T12:10:10.000+00:00", 60.0, 900),
        SampleRow("p", 1, "2026-11-29T12:10:30.000+00:00", 50.0, 450),
    )
    row = ProcedureRow(
        "p", "crossing", "t", encode_brief(brief), "done", "", "", None, False, False
    )
    live = Live(row, entries, (), at_work=False, samples=samples)
    chart = crossing_picture(MachineRecord(name="m", about="", words=(), live=live), 2)
    fetched, expected, packages, _, room = chart.curves
    assert fetched.words.startswith("fetched 100 %") and expected.dashed and not expected.words
    # Of the failed try 60 % came; the second never makes it less, and does not count twice.
    assert [round(y, 2) for _, y in fetched.points] == [0.0, 0.0, 0.6, 0.6, 0.6, 1.0, 1.0]
    assert packages.words.startswith("packages 0 of ")
    assert [(round(x, 2), y) for x, y in room.points] == [(0.1, 1.0), (0.3, 0.5)]
    assert expected.points[-1] == (1.0, 1.0)
    assert chart.lanes[0].bars[1].key == "1"


def test_topics_by_machines_say_what_stands_in_the_way_where(petrel):
    page = fleet_page([petrel], TODAY, picture="topics")
    (lane,) = page.picture.lanes
    wanted = [mark for mark in lane.marks if mark.symbol == "▲"]
    assert lane.key == "petrel" and wanted
    assert page.picture.telling.startswith("▲ wants a look: ")
    (first, *_) = (f for f in petrel.surveyed.findings if f.verdict is Verdict.CAUTION)
    grave = msgspec.structs.replace(first, verdict=Verdict.STOP)
    worse = msgspec.structs.replace(petrel.surveyed, findings=(grave,))
    stopped = fleet_page([msgspec.structs.replace(petrel, surveyed=worse)], TODAY, picture="topics")
    assert stopped.picture.telling.startswith("■ stands in the way: ")
    empty = msgspec.structs.replace(petrel.surveyed, findings=())
    quiet = fleet_page([msgspec.structs.replace(petrel, surveyed=empty)], TODAY, picture="topics")
    assert quiet.picture.telling.startswith("●")


def of_exchange(name: str, version: str, stand_in, monkeypatch, tmp_path) -> MachineRecord:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    desk = stand_in(name)
    Plans(desk).make(version)
    return _read(desk, MachineRecord(name=name, about="", words=()), "")


def test_a_leg_of_images_shows_its_slots_and_the_restart(stand_in, monkeypatch, tmp_path):
    record = of_exchange("razorbill", "8.5", stand_in, monkeypatch, tmp_path)
    page = PAGES["plan"](record, TODAY)
    assert [lane.name for lane in page.picture.lanes][:2] == ["slot a", "slot b"]
    assert rows_led_to(page, page.picture) <= {row.key for row in page.rows}
    assert page.picture.lanes[1].marks[0].symbol == "↻"


def test_a_leg_from_a_medium_shows_its_phases_and_counts_their_restarts():
    step = MediumStep(old="1", new="2", medium="/media/two/medium.json", phases=4)
    step = msgspec.structs.replace(step, medium_bytes=3_600_000_000)
    leg = plan()
    leg = msgspec.structs.replace(leg, steps=(step, RestartStep(because=("4 phases",))))
    lanes = list(exchange_lanes(None, leg, 0))
    assert [lane.name for lane in lanes] == ["prepared", *(f"phase {n} of 4" for n in (1, 2, 3, 4))]
    assert all(lane.marks[0].symbol == "↻" for lane in lanes[1:])
    work = work_of(leg)
    assert (work.restarts, work.write_bytes) == (4, 7_200_000_000)
    assert estimate([work], Speeds()).low > 4 * 60
    assert amounts([leg]).startswith("3.60 GB to read from the medium")

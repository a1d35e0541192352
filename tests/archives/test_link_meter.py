"""The speed of a link, however many transfers share it; and that planning learns it."""

from brave_bridge.archives.download import Downloader
from brave_bridge.archives.link_meter import LinkMeter
from brave_bridge.core.crossing.replies import SuitesFetched
from brave_bridge.core.crossing.requests import FetchSuites
from brave_bridge.core.estimate import Speeds
from brave_bridge.machines.folder import FolderFiles
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.workbench.decisions import Decisions
from brave_bridge.workbench.outlook.measuring import MeasuringPerformer
from tests.support.archive_server import ArchiveServer


def test_time_that_transfers_share_counts_once():
    now = [0.0]
    meter = LinkMeter(lambda: now[0])
    with meter.receiving():
        now[0] = 1.0
        with meter.receiving():
            meter.saw(100)
            now[0] = 3.0
        meter.saw(50)
        now[0] = 4.0
    now[0] = 9.0
    with meter.receiving():
        now[0] = 10.0
    assert (meter.received, meter.seconds) == (150, 5.0)


def test_what_comes_over_the_link_is_counted_and_files_are_not(tmp_path):
    server = ArchiveServer()
    server.files["/tide/thing"] = b"x" * 300_000
    (tmp_path / "here").write_bytes(b"y" * 1000)
    downloader = Downloader(FolderFiles("tree", tmp_path), Beneath(tmp_path, "partial"))
    try:
        downloader.get(f"{server.uri}/thing", 1_000_000)
        downloader.get("file:/here", 1_000_000)
        assert downloader.meter.received == 300_000 and downloader.meter.seconds > 0
    finally:
        downloader.close()
        server.close()


def test_a_plan_s_fetches_tell_the_speed_of_the_link():
    class Fetching:
        def perform(self, seq, request, report):
            return SuitesFetched((), 40_000_000, 8.0)

    performer = MeasuringPerformer(Fetching())
    performer.perform(0, FetchSuites(title="", folder="", suites=()), lambda *_: None)
    assert performer.link == 5_000_000.0


def test_a_plan_that_fetched_nothing_forgets_no_speed():
    known = Decisions(speeds=Speeds(link=5.0, disk=6.0))
    assert known.measured_now(Speeds(disk=7.0)).speeds == Speeds(link=5.0, disk=7.0)

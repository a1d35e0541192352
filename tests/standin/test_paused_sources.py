"""A third party's source from the leg that it cannot go along to the day on which it can."""

import pytest

from brave_bridge.core.survey.findings import TAKE_UP_SOURCES, Verdict
from brave_bridge.families.deb.waiting import waiting_sources
from brave_bridge.machines.standin.packages import Suite, write_archive
from brave_bridge.machines.standin.signing import make_key
from brave_bridge.machines.standin.world import THIRD_PARTY_ORIGIN, third_party_package
from brave_bridge.runner.briefs import CrossBrief, SourcesBrief
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.proofs.newest_proof import proof_now
from brave_bridge.workbench.readiness import Readiness
from brave_bridge.workbench.refusal import Refused
from tests.support.runs import begin, carry_out, outcome_of

GAUGES = "/etc/apt/sources.list.d/estuary.list"
URI = "http://packages.estuary.example/instruments"


@pytest.fixture(autouse=True)
def own_state(tmp_path, monkeypatch):
    """What the fleet shares goes to a folder of the test's own."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))


def carried_out(desk, brief, name: str, kill_at: tuple[str, int] | None = None):
    """Carry a procedure out in a child, killed once if need be; its outcome."""
    begin(desk, brief, name)
    root, machine = desk.machine.root, desk.machine.name
    if kill_at:
        assert carry_out(root, machine, name, kill_at) != 0
    assert carry_out(root, machine, name) == 0
    return outcome_of(root, machine, name)


def waiting(desk):
    routes = desk.routes()
    return tuple(waiting_sources(desk.facts().source_files, routes.line, routes.here))


def point(desk):
    return next(f for f in desk.survey().findings if f.id == "paused-sources")


def test_a_source_waits_for_its_release_and_is_taken_up_when_it_has_it(own_world):
    desk, folder = own_world
    with pytest.raises(Refused, match="no source waits"):
        Readiness(desk).begin_taking_up()
    crossing = CrossBrief("deb", Plans(desk).make("7").legs)
    assert carried_out(desk, crossing, "crossing").state == "done"
    seen = point(desk)
    assert (seen.verdict, seen.deed) == (Verdict.CAUTION, TAKE_UP_SOURCES)
    assert "since before 7 diamond" in seen.evidence
    before = desk.machine.files.read(GAUGES, 10_000)
    early = carried_out(desk, SourcesBrief("deb", waiting(desk)), "early")
    assert early.left == (f"{URI}: it does not have the release yet",)
    assert desk.machine.files.read(GAUGES, 10_000) == before

    key, sign = make_key("Estuary Instruments <support@estuary.example>")
    desk.machine.files.write("/etc/apt/trusted.gpg.d/estuary-second.asc", key)
    agent = third_party_package("3.2-1", "libtide2 (>= 2.0)")
    suite = Suite(THIRD_PARTY_ORIGIN, "diamond", "3", (agent,))
    write_archive(folder / "archives/instruments", {"diamond": suite}, sign)
    # Cut off right after the file was written: it is gone on with, and ends the same.
    taken = carried_out(desk, SourcesBrief("deb", waiting(desk)), "later", ("after", 2))
    assert (taken.state, taken.taken_up, taken.left) == ("done", (f"{URI} diamond",), ())
    assert desk.machine.files.read(GAUGES, 10_000).decode() == (
        f"# gauge software, see the service contract\ndeb {URI} diamond main\n"
    )
    assert point(desk).verdict is Verdict.CLEAR and waiting(desk) == ()
    proof = {difference.subject: difference for difference in proof_now(desk)[1].differences}
    assert (proof[GAUGES].after, proof[GAUGES].verdict) == ("active again", "expected")
    assert (URI, "diamond") in {(seen.uri, seen.suite) for seen in desk.facts().archives}

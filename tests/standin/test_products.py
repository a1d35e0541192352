"""A machine with two identities: a product of another maker on a release of Quayside."""

import pytest

from brave_bridge.core.survey.findings import Verdict
from brave_bridge.machines.standin import world
from brave_bridge.machines.standin.packages import Suite, write_archive
from brave_bridge.machines.standin.signing import make_key
from brave_bridge.runner.briefs import CrossBrief
from brave_bridge.workbench import lines
from brave_bridge.workbench.planning.plans import Plans
from tests.support.runs import begin, carry_out, outcome_of

LINE = """
id = "estuary"
name = "Estuary Gauge"
family = "deb"
os_ids = []
rule = "one after the other"
origin = "Estuary Instruments"
archive_paths = ["instruments", "instruments-3", "instruments-4"]
product = { on = "quayside", packages = ["estuary-agent"] }
releases = [
  { key = "2", version = "2", codename = "", bases = ["5.3"], released = 2025-01-01, support_ends = 2026-12-24 },
  { key = "3", version = "3", codename = "", bases = ["5.3", "7"], released = 2026-01-01 },
  { key = "4", version = "4", codename = "", bases = ["7"], released = 2026-06-01 },
]
legs = [
  { start = "2", end = "3", addresses = { "http://packages.estuary.example/instruments" = "http://packages.estuary.example/instruments-3" } },
  { start = "3", end = "4" },
]
"""  # noqa: E501


@pytest.fixture
def gauge(own_world, tmp_path, monkeypatch):
    """petrel with that product, and the archive of its next release."""
    desk, folder = own_world
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    (tmp_path / "config/brave-bridge/releases").mkdir(parents=True)
    (tmp_path / "config/brave-bridge/releases/estuary.toml").write_text(LINE)
    lines.all_lines.cache_clear()
    key, sign = make_key("Estuary Instruments")
    world.write_keys(desk.machine, {"estuary": key})
    for name, version in (("instruments", "2.4-1"), ("instruments-3", "3.0-1")):
        package = world.third_party_package(version)
        suite = Suite(world.THIRD_PARTY_ORIGIN, "bowline-5.3", "1", (package,))
        write_archive(folder / "archives" / name, {"bowline-5.3": suite}, sign)
    yield desk
    lines.all_lines.cache_clear()


def found(desk, rule: str, to: str = "") -> list:
    return [finding for finding in desk.survey(to).findings if finding.id == rule]


def test_both_identities_have_their_standing_their_support_and_their_legs(gauge):
    standings = gauge.standings(gauge.facts())
    assert [(one.line.scale, one.here.key) for one in standings] == [
        ("release", "5.3"),
        ("estuary", "estuary:2"),
    ]
    assert {way.end.key for way in standings[1].later() if way.is_open} == {"estuary:3"}
    assert "Quayside 7" in standings[1].named("estuary:4").why_not
    support = {finding.title for finding in found(gauge, "support-window")}
    assert any("days of support left for Estuary Gauge 2" in title for title in support)


def test_a_leg_of_the_base_says_what_it_means_for_the_product(gauge):
    [finding] = found(gauge, "product-base", "7")
    assert finding.verdict is Verdict.STOP and finding.can_be_overruled
    assert finding.title == "Estuary Gauge 2 does not stand on Quayside 7 diamond"
    assert "brave-bridge plan --to estuary:3" in finding.remedy
    [finding] = found(gauge, "product-base", "estuary:3")
    assert finding.verdict is Verdict.CLEAR
    assert finding.title == "Estuary Gauge 3 stands on Quayside"


def test_a_leg_of_the_product_is_crossed_and_leaves_the_base_alone(gauge):
    desk, root = gauge, gauge.machine.root
    own = root / "etc/apt/sources.list.d/quayside.sources"
    sources = own.read_text()
    kept = Plans(desk).make("estuary:3")
    plan = kept.legs[0]
    assert {choice.kind for choice in plan.choices} == {"restart"}, "no source is asked about"
    assert plan.leg.title == "2 to 3"
    assert [(c.name, c.new) for c in plan.packages.upgraded] == [("estuary-agent", "3.0-1")]
    begin(desk, CrossBrief("deb", kept.legs))
    assert carry_out(root, "petrel", "trial") == 0
    outcome = outcome_of(root, "petrel", "trial")
    assert outcome.state == "done" and outcome.proof.passed, outcome
    reached = next(d for d in outcome.proof.differences if d.subject == "estuary")
    assert (reached.before, reached.after) == ("2.4", "3.0")
    assert own.read_text() == sources
    extra = (root / "etc/apt/sources.list.d/estuary.list").read_text()
    assert "packages.estuary.example/instruments-3" in extra
    assert desk.standings(desk.facts())[1].here.key == "estuary:3"
    [finding] = found(desk, "product-base", "7")
    assert finding.title == "Estuary Gauge 3 stands on Quayside 7 diamond, too"

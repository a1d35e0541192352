"""The planning script fed with replies: no machine, no package manager."""

import pytest

from brave_bridge.core.crossing.planner import PlanFault
from brave_bridge.core.crossing.requests import (
    Failed,
    FetchSuites,
    PackagesPlanned,
    PlanPackages,
    SuiteFound,
    SuitesFetched,
)
from brave_bridge.core.formats.apt_sources import SourceFile, entries
from brave_bridge.core.packages.changes import PackageChange, PackageChanges
from brave_bridge.core.packages.choices import wishes_with
from brave_bridge.core.packages.wishes import PersonsWishes
from brave_bridge.core.releases.route import find_route
from brave_bridge.families.deb.planning import DebPlanner
from tests.support.facts import TODAY, facts, quayside

OWN = "http://archive.quayside.example/quayside"
OTHER = "http://packages.estuary.example/instruments"
SOURCES = SourceFile(
    "/etc/apt/sources.list",
    f"deb {OWN} bowline-5.3 main\n# deb {OWN} bowline-5.3 old\ndeb {OTHER} bowline-5.3 main\n",
)
CHANGES = PackageChanges(
    upgraded=(PackageChange("quay-libc", "2.31-7", "2.39-3", "newer in diamond", 600, 20_000),),
    new=(PackageChange("libtls3", "", "3.0-1", "quay-libc needs it", 400, 30_000),),
    removed=(PackageChange("quay-webd", "1.18", "", "cannot stand", disk_bytes=-10_000),),
)


def legs(*names: str):
    """The legs from the first release to the last."""
    line = quayside()
    return find_route(line, line.release(names[0]), line.release(names[-1]), TODAY).legs


class Replies:
    """Answers requests as archives would that have these suites."""

    def __init__(self, *there: tuple[str, str], planned=None, fault: str = "404") -> None:
        self.there = there
        self.fault = fault
        self.asked: list[PlanPackages] = []
        self.fetched: list[FetchSuites] = []
        self.planned = planned

    def answer(self, request):
        """The reply to a request."""
        if isinstance(request, PlanPackages):
            self.asked.append(request)
            return self.planned or PackagesPlanned((CHANGES,) * len(request.legs))
        assert isinstance(request, FetchSuites)
        self.fetched.append(request)
        return SuitesFetched(tuple(map(self._found, request.suites)))

    def _found(self, wanted) -> SuiteFound:
        if (wanted.uri, wanted.suite) in self.there:
            return SuiteFound(uri=wanted.uri, suite=wanted.suite, codename=wanted.suite)
        missing = self.fault == "404"
        return SuiteFound(uri=wanted.uri, suite=wanted.suite, fault=self.fault, missing=missing)


def planned(
    replies: Replies, *route: str, sources: SourceFile = SOURCES, wishes=PersonsWishes()
):  # fmt: skip
    given = facts(sources_file=sources, sources=tuple(entries(sources)))
    script = DebPlanner().plan(given, legs(*(route or ("5.3", "7"))), "/plans", wishes)
    try:
        request = next(script)
        while True:
            request = script.send(replies.answer(request))
    except StopIteration as end:
        return end.value


def test_a_third_party_that_lacks_the_release_is_paused_and_the_rest_planned():
    replies = Replies((OWN, "diamond"))
    (plan,) = planned(replies)
    assert [(s.uri, s.outcome) for s in plan.sources] == [(OWN, "renamed"), (OTHER, "paused")]
    assert plan.source_files[0].text.splitlines() == [
        f"deb {OWN} diamond main",
        f"# deb {OWN} bowline-5.3 old",
        f"# deb {OTHER} bowline-5.3 main  # paused by Brave Bridge before 7 diamond: not there yet",
    ]
    assert plan.removed == CHANGES.removed and plan.new == CHANGES.new
    assert (plan.download_bytes, plan.disk_bytes) == (1000, 40_000)


def test_a_third_party_that_cannot_be_reached_is_paused_with_the_reason():
    (plan,) = planned(Replies((OWN, "diamond"), fault="no route to it"))
    assert [(s.outcome, s.reason) for s in plan.sources][1] == ("paused", "no route to it")
    assert "cannot be read now (no route to it)" in choice_of(plan).about


def test_what_is_fetched_is_noted_in_the_plans_own_folder():
    replies = Replies((OWN, "diamond"))
    planned(replies)
    *fetched, looked = replies.fetched
    assert {request.folder for request in fetched} == {"/plans/0/lists"}
    assert [s.suite for s in fetched[-1].suites] == ["diamond"]
    assert looked.folder == "/plans/0/looked"
    assert {s.components for s in looked.suites} == {()}, "descriptions alone"


def choice_of(plan, kind: str = "source"):
    return next(choice for choice in plan.choices if choice.kind == kind)


def test_a_third_party_that_has_the_release_under_another_name_can_be_turned_to_it():
    there = ((OWN, "diamond"), (OTHER, "stable"), (OTHER, "bowline-5.3"))
    (plan,) = planned(Replies(*there))
    choice = choice_of(plan)
    answers = [option.answer for option in choice.options]
    assert answers == ["suite stable", "pause", "keep", "drop"] and choice.answer == "pause"
    wishes = wishes_with(PersonsWishes(), choice, "suite stable")
    (turned,) = planned(Replies(*there), wishes=wishes)
    assert f"deb {OTHER} stable main" in turned.source_files[0].text
    assert turned.sources[1].outcome == "renamed" and choice_of(turned).answer == "suite stable"
    assert wishes_with(wishes, choice, "pause") == PersonsWishes()


@pytest.mark.parametrize(
    ("answer", "line", "outcome"),
    [
        ("keep", f"deb {OTHER} bowline-5.3 main", "unchanged"),
        ("drop", f"# deb {OTHER} bowline-5.3 main  # dropped by Brave Bridge before 7 diamond",
         "dropped"),
        ("pause", f"# deb {OTHER} bowline-5.3 main  # paused by Brave Bridge before 7 diamond: "
         "not there yet", "paused"),
    ],
)  # fmt: skip
def test_a_third_party_that_goes_along_can_be_left_where_it_is(answer, line, outcome):
    replies = Replies((OWN, "diamond"), (OTHER, "diamond"), (OTHER, "bowline-5.3"))
    wishes = PersonsWishes().with_source(f"{OTHER} bowline-5.3", answer)
    (plan,) = planned(replies, wishes=wishes)
    assert line in plan.source_files[0].text.splitlines()
    assert plan.sources[1].outcome == outcome
    assert (choice_of(plan).default, choice_of(plan).answer) == ("follow", answer)


def test_what_was_decided_about_a_source_gives_way_where_it_cannot_be_fetched():
    wishes = PersonsWishes().with_source(f"{OTHER} bowline-5.3", "suite gone")
    (plan,) = planned(Replies((OWN, "diamond")), wishes=wishes)
    assert plan.sources[1].outcome == "paused" and "does not have" in plan.sources[1].reason


def test_a_kind_of_a_component_is_chosen_where_a_source_has_it():
    sources = SourceFile(
        "/etc/apt/sources.list.d/a.sources",
        f"Types: deb\nURIs: {OWN}\nSuites: bowline-5.3\nComponents: main guests\n",
    )
    replies = Replies((OWN, "diamond"))
    (plan,) = planned(replies, sources=sources)
    choice = choice_of(plan, "channel")
    assert choice.answer == choice.default == "guests"
    wishes = wishes_with(PersonsWishes(), choice, "guests-next")
    (other,) = planned(replies, sources=sources, wishes=wishes)
    assert "Suites: diamond\nComponents: main guests-next\n" in other.source_files[0].text
    assert wishes_with(wishes, choice, "guests") == PersonsWishes()


def test_the_distributions_own_source_that_fails_stops_it():
    fault = planned(Replies((OTHER, "diamond")))
    assert isinstance(fault, PlanFault)
    assert "404" in fault.seen and "check the source" in fault.remedy


def test_sources_that_do_not_name_the_release_cannot_be_turned():
    moving = SourceFile("/etc/apt/sources.list", f"deb {OWN} stable main\n")
    fault = planned(Replies(), sources=moving)
    assert "no active source names bowline-5.3" in fault.seen


def test_a_planning_that_fails_is_told():
    replies = Replies((OWN, "diamond"), planned=Failed("reading the database", "torn"))
    fault = planned(replies)
    assert isinstance(fault, PlanFault)
    assert "planning 5.3 bowline to 7 diamond: reading the database" in fault.attempted


def test_the_second_leg_is_planned_on_what_the_first_leaves():
    replies = Replies((OWN, "diamond"), (OWN, "englefield"))
    first, second = planned(replies, "5.3", "8")
    assert second.sources_before == first.source_files
    (request,) = replies.asked
    assert [leg.lists for leg in request.legs] == ["/plans/0/lists", "/plans/1/lists"]
    assert [leg.end for leg in request.legs] == ["diamond", "englefield"]

"""The planning script fed with replies: no machine, no package manager."""

import pytest

from brave_bridge.core.crossing.planner import PlanFault
from brave_bridge.core.crossing.replies import Failed, PackagesPlanned, SuiteFound, SuitesFetched
from brave_bridge.core.crossing.requests import FetchSuites, PlanPackages
from brave_bridge.core.formats.apt_sources import SourceFile, entries
from brave_bridge.core.packages.changes import PackageChange, PackageChanges
from brave_bridge.core.packages.choices import preferences_with
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.releases.route import find_route
from brave_bridge.core.survey.facts import ArchiveSeen
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

    def __init__(
        self, *there: tuple[str, str], planned=None, fault: str = "404", origins=None
    ) -> None:
        self.there = there
        self.origins = origins or {}
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
            origin = self.origins.get(wanted.uri, "")
            return SuiteFound(
                uri=wanted.uri, suite=wanted.suite, codename=wanted.suite, origin=origin
            )
        missing = self.fault == "404"
        return SuiteFound(uri=wanted.uri, suite=wanted.suite, fault=self.fault, missing=missing)


def planned(
    replies: Replies, *route: str, sources: SourceFile = SOURCES, preferences=Preferences(), seen=()
):
    given = facts(sources_file=sources, sources=tuple(entries(sources)), archives=seen)
    script = DebPlanner().plan(given, legs(*(route or ("5.3", "7"))), "/plans", preferences)
    try:
        request = next(script)
        while True:
            request = script.send(replies.answer(request))
    except StopIteration as end:
        return end.value


def test_a_third_party_that_lacks_the_release_is_paused_and_the_rest_planned():
    replies = Replies((OWN, "diamond"))
    (plan,) = planned(replies)
    assert [(s.uri, s.outcome) for s in plan.sources.outcomes] == [
        (OWN, "renamed"),
        (OTHER, "paused"),
    ]
    assert plan.sources.files[0].text.splitlines() == [
        f"deb {OWN} diamond main",
        f"# deb {OWN} bowline-5.3 old",
        f"# deb {OTHER} bowline-5.3 main  # paused by Brave Bridge before 7 diamond: not there yet",
    ]
    assert plan.packages.removed == CHANGES.removed and plan.packages.new == CHANGES.new
    assert (plan.download_bytes, plan.disk_bytes) == (1000, 40_000)


def test_a_third_party_that_cannot_be_reached_is_paused_with_the_reason():
    (plan,) = planned(Replies((OWN, "diamond"), fault="no route to it"))
    assert [(s.outcome, s.reason) for s in plan.sources.outcomes][1] == ("paused", "no route to it")
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
    preferences = preferences_with(Preferences(), choice, "suite stable")
    (turned,) = planned(Replies(*there), preferences=preferences)
    assert f"deb {OTHER} stable main" in turned.sources.files[0].text
    assert turned.sources.outcomes[1].outcome == "renamed"
    assert choice_of(turned).answer == "suite stable"
    assert preferences_with(preferences, choice, "pause") == Preferences()


@pytest.mark.parametrize(
    ("answer", "line", "outcome"),
    [
        ("keep", f"deb {OTHER} bowline-5.3 main", "unchanged"),
        (
            "drop",
            f"# deb {OTHER} bowline-5.3 main  # dropped by Brave Bridge before 7 diamond",
            "dropped",
        ),
        (
            "pause",
            f"# deb {OTHER} bowline-5.3 main  # paused by Brave Bridge before 7 diamond: "
            "not there yet",
            "paused",
        ),
    ],
)
def test_a_third_party_that_goes_along_can_be_left_where_it_is(answer, line, outcome):
    replies = Replies((OWN, "diamond"), (OTHER, "diamond"), (OTHER, "bowline-5.3"))
    preferences = Preferences().with_source(f"{OTHER} bowline-5.3", answer)
    (plan,) = planned(replies, preferences=preferences)
    assert line in plan.sources.files[0].text.splitlines()
    assert plan.sources.outcomes[1].outcome == outcome
    assert (choice_of(plan).default, choice_of(plan).answer) == ("follow", answer)


def test_what_was_decided_about_a_source_gives_way_where_it_cannot_be_fetched():
    preferences = Preferences().with_source(f"{OTHER} bowline-5.3", "suite gone")
    (plan,) = planned(Replies((OWN, "diamond")), preferences=preferences)
    assert (
        plan.sources.outcomes[1].outcome == "paused"
        and "does not have" in plan.sources.outcomes[1].reason
    )


def test_a_kind_of_a_component_is_chosen_where_a_source_has_it():
    sources = SourceFile(
        "/etc/apt/sources.list.d/a.sources",
        f"Types: deb\nURIs: {OWN}\nSuites: bowline-5.3\nComponents: main guests\n",
    )
    replies = Replies((OWN, "diamond"))
    (plan,) = planned(replies, sources=sources)
    choice = choice_of(plan, "channel")
    assert choice.answer == choice.default == "guests"
    preferences = preferences_with(Preferences(), choice, "guests-next")
    (other,) = planned(replies, sources=sources, preferences=preferences)
    assert "Suites: diamond\nComponents: main guests-next\n" in other.sources.files[0].text
    assert preferences_with(preferences, choice, "guests") == Preferences()


def test_the_distributions_own_source_that_fails_stops_it():
    fault = planned(Replies((OTHER, "diamond")))
    assert isinstance(fault, PlanFault)
    assert "404" in fault.seen and "check the source" in fault.remedy


DISC = "cdrom:[Quayside 5.3 _Bowline_ - amd64 DVD-1]/"


def test_a_disc_is_offered_as_paused_and_named_whole():
    sources = SourceFile(SOURCES.path, f"deb {OWN} bowline-5.3 main\ndeb {DISC} bowline-5.3 main\n")
    (plan,) = planned(Replies((OWN, "diamond"), fault="of a kind"), sources=sources)
    assert [(s.uri, s.outcome) for s in plan.sources.outcomes] == [
        (OWN, "renamed"),
        (DISC, "paused"),
    ]
    assert [option.answer for option in choice_of(plan).options] == ["pause", "keep", "drop"]


def test_sources_that_are_nothing_but_discs_stop_it():
    sources = SourceFile(SOURCES.path, f"deb {DISC} bowline-5.3 main\n")
    fault = planned(Replies(), sources=sources)
    assert isinstance(fault, PlanFault) and "add the main archive" in fault.remedy


NAMESAKE = "http://packages.estuary.example/quayside"
WITH_NAMESAKE = SourceFile(
    SOURCES.path, f"deb {OWN} bowline-5.3 main\ndeb {NAMESAKE} bowline-5.3 main\n"
)
SEEN = (ArchiveSeen(OWN, "bowline-5.3", "Quayside", "bowline-5.3", "", ""),)


def test_one_that_was_never_read_and_cannot_be_is_no_reason_to_stop():
    (plan,) = planned(Replies((OWN, "diamond"), fault="refused"), sources=WITH_NAMESAKE, seen=SEEN)
    assert [s.outcome for s in plan.sources.outcomes] == ["renamed", "paused"]


def test_whose_an_archive_is_is_what_it_says_of_itself():
    there = Replies((OWN, "diamond"), (NAMESAKE, "diamond"), origins={NAMESAKE: "Estuary"})
    (plan,) = planned(there, sources=WITH_NAMESAKE, seen=SEEN)
    assert choice_of(plan).subject == f"{NAMESAKE} bowline-5.3"
    preferences = preferences_with(Preferences(), choice_of(plan), "pause")
    (plan,) = planned(there, sources=WITH_NAMESAKE, seen=SEEN, preferences=preferences)
    assert [s.outcome for s in plan.sources.outcomes] == ["renamed", "paused"]


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
    assert second.sources.before == first.sources.files
    (request,) = replies.asked
    assert [leg.lists for leg in request.legs] == ["/plans/0/lists", "/plans/1/lists"]
    assert [leg.end for leg in request.legs] == ["diamond", "englefield"]

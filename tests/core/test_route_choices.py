"""The ways that are offered: shortest, safest, to a long-term release; and closed legs."""

from datetime import date

import msgspec

from brave_bridge.core.releases.catalogue import LegRule, Release, ReleaseLine, leg_of
from brave_bridge.core.releases.choices import (
    SAFEST,
    SHORTEST,
    TO_LONG_TERM,
    choose_ways,
    consequence_of_track,
)
from brave_bridge.core.releases.open_legs import Stands
from brave_bridge.core.releases.route import default_target, find_route
from tests.support.facts import quayside

TODAY = date(2026, 11, 25)


def line(*legs: LegRule) -> ReleaseLine:
    """Four releases, the second and fourth of them interim."""
    releases = tuple(
        Release(
            key=str(n),
            version=str(n),
            codename=name,
            released=date(2020 + n, 1, 1),
            support_ends=date(2028, 1, 1) if long_term else date(2027, 2, 1),
            long_term=long_term,
        )
        for n, name, long_term in (
            (1, "ebb", True),
            (2, "flow", False),
            (3, "neap", True),
            (4, "spring", False),
        )
    )
    return ReleaseLine("tide", "Tide", "deb", ("tide",), "one after the other", releases, legs)


STEPS = (LegRule("1", "2"), LegRule("2", "3"), LegRule("3", "4"))
LEAP = LegRule("1", "3")


def ways(given: ReleaseLine, stands: Stands = Stands(), to: str = ""):
    found = choose_ways(given, given.releases[0], TODAY, stands, given.release(to) if to else None)
    return {
        kind: [leg.end.key for leg in way.legs] for way in found.ways for kind in way.kinds
    }, found


def test_the_long_term_leap_is_shortest_and_safest():
    found, _ = ways(line(*STEPS, LEAP), to="3")
    assert found == {SHORTEST: ["3"], SAFEST: ["3"], TO_LONG_TERM: ["3"]}


def test_the_safest_way_avoids_what_should_wait():
    waits = Stands(waits=frozenset({leg_of(line(*STEPS, LEAP), LEAP).key}))
    found, choices = ways(line(*STEPS, LEAP), waits, to="3")
    assert (found[SHORTEST], found[SAFEST]) == (["3"], ["2", "3"])
    shortest = next(way for way in choices.ways if SHORTEST in way.kinds)
    assert shortest.remarks == ("1 ebb to 3 neap should wait",)


def test_without_a_goal_the_newest_is_offered_and_the_lasting_one_beside_it():
    found, choices = ways(line(*STEPS, LEAP), Stands(long_term_only=True))
    assert (found[SHORTEST], found[TO_LONG_TERM]) == (["3", "4"], ["3"])
    newest = next(way for way in choices.ways if SHORTEST in way.kinds)
    assert newest.remarks == (
        "4 spring gets fixes for 68 days more",
        "4 spring is no long-term release: it leaves the chosen track",
    )


def test_closed_legs_say_why():
    legs = (
        LegRule("1", "2", at_least="1.10"),
        LegRule("1", "3", editions=("Harbour",)),
        LegRule("1", "4", architectures=("arm64",)),
    )
    stands = Stands(version="1.9", edition="Crew", architecture="amd64")
    _, choices = ways(line(*legs), stands)
    assert choices.ways == ()
    assert [closed.reason for closed in choices.closed] == [
        "it asks for 1.10 at least, this is 1.9: update first",
        "it is for Harbour, this is Crew",
        "4 spring does not exist for amd64",
    ]
    found, _ = ways(line(*legs), Stands("1.10", "Harbour", "arm64"))
    assert found[SHORTEST] == ["4"]


def to(given: ReleaseLine, there: str, stands: Stands):
    return find_route(given, given.releases[0], given.release(there), TODAY, stands)


def test_a_route_goes_round_a_leg_that_is_closed_to_the_machine():
    given = line(*STEPS, msgspec.structs.replace(LEAP, editions=("Harbour",)))
    assert [leg.end.key for leg in to(given, "3", Stands(edition="Harbour")).legs] == ["3"]
    round_it = to(given, "3", Stands(edition="Crew"))
    assert [leg.end.key for leg in round_it.legs] == ["2", "3"] and round_it.is_open


def test_where_every_way_is_closed_the_route_says_by_what():
    given = line(msgspec.structs.replace(LEAP, at_least="1.4"), LegRule("3", "4"))
    behind = to(given, "4", Stands(version="1.3"))
    assert [leg.end.key for leg in behind.legs] == ["3", "4"] and not behind.is_open
    assert behind.why_not == (
        "1 ebb to 3 neap is closed: it asks for 1.4 at least, this is 1.3: update first"
    )
    assert default_target(given, given.releases[0], TODAY, Stands(version="1.3")).key == "3"
    assert to(given, "4", Stands(version="1.4")).is_open


def test_who_wants_the_safest_way_goes_it():
    given = line(*STEPS, LEAP)
    waits = Stands(waits=frozenset({leg_of(given, LEAP).key}))
    safest = msgspec.structs.replace(waits, safest=True)
    assert [leg.end.key for leg in to(given, "3", safest).legs] == ["2", "3"]
    assert [leg.end.key for leg in to(given, "3", waits).legs] == ["3"]


def test_what_a_track_means_is_told_before():
    given, stands = line(*STEPS, LEAP), Stands()
    here = given.releases[0]
    assert consequence_of_track(given, here, TODAY, stands, long_term_only=True) == (
        "It would be offered 3 neap until 2028-01-01 and nothing between."
    )
    assert consequence_of_track(given, here, TODAY, stands, long_term_only=False) == (
        "It would be offered every release; the newest, 4 spring, is supported until 2027-02-01 "
        "and asks for a leg each time one ends."
    )


def test_points_are_taken_in_order_on_the_way_to_the_next_long_term_release():
    given = quayside()
    found = choose_ways(given, given.release("5.1"), TODAY, Stands(), given.release("7"))
    (way,) = [way for way in found.ways if SHORTEST in way.kinds]
    assert [leg.end.key for leg in way.legs] == ["5.2", "5.3", "7"]


def test_a_line_full_of_ways_is_judged_in_bounds():
    releases = line().releases
    many = tuple(
        msgspec.structs.replace(releases[0], key=str(n), version=str(n)) for n in range(30)
    )
    legs = tuple(LegRule(str(a), str(b)) for a in range(30) for b in range(a + 1, 30))
    given = msgspec.structs.replace(line(*legs), releases=many)
    found = choose_ways(given, many[0], TODAY, Stands())
    assert [leg.end.key for leg in found.ways[0].legs] == ["29"]

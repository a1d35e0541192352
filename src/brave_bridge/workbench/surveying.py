"""Judging a machine's facts with all that is known around them: the situation of a survey."""

import os
from datetime import date

import msgspec

from brave_bridge.core.estimate import Estimate
from brave_bridge.core.field_notes import FieldNote, about
from brave_bridge.core.formats.text import plain
from brave_bridge.core.releases.catalogue import Release, ReleaseLine
from brave_bridge.core.survey.difference import survey_difference
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.findings import (
    Link,
    OpenLegSeen,
    Situation,
    WayBackSeen,
    WaysBackSeen,
    judge_all,
)
from brave_bridge.core.survey.products import ProductSeen
from brave_bridge.core.survey.rules import all_rules
from brave_bridge.families.registry import family_named
from brave_bridge.machines.port import Machine
from brave_bridge.snapshots.description import Kept
from brave_bridge.workbench.damage import Damage
from brave_bridge.workbench.decisions import Decisions
from brave_bridge.workbench.kept.kept_survey import KeptSurvey, keep_survey, last_survey
from brave_bridge.workbench.kept.settings import newest_archive_day
from brave_bridge.workbench.lines import products_of
from brave_bridge.workbench.outlook.routes import Routes, all_routes, routes_to, stands_of
from brave_bridge.workbench.record import KeptPlan, Surveyed
from brave_bridge.workbench.roles import known_roles
from brave_bridge.workbench.targets import Target

_MULTIPLEXERS = {"TMUX": "tmux", "STY": "screen", "ZELLIJ": "zellij"}


class Around(msgspec.Struct, frozen=True):
    """What is known of a machine beside its facts. What could not be read is empty."""

    today: date
    line: ReleaseLine | None
    release: Release | None
    plan: KeptPlan | None = None
    goal: str = ""
    snapshots: tuple[Kept, ...] = ()
    ways_back: WaysBackSeen = WaysBackSeen()
    readable: bool = True
    damage: tuple[Damage, ...] = ()
    open_leg: OpenLegSeen | None = None
    no_runtime: str = ""
    decisions: Decisions = Decisions()
    notes: tuple[FieldNote, ...] = ()
    estimate: Estimate | None = None


def judge(target: Target, machine: Machine, facts: Facts, around: Around) -> Surveyed:
    """The findings for the route to the goal, and how they differ from those before."""
    products = products_of(facts, around.line)
    standings = _standings(around, facts, products)
    wanted = around.goal or (around.plan.to if around.plan else "")
    routes = routes_to(standings, wanted) if standings else None
    goal = routes.goal(wanted) if routes else None
    route = routes.to(goal) if routes and goal else None
    plan = around.plan if around.plan and around.plan.follows(route) else None
    legs = route.legs if route else ()
    leg_key = legs[0].key if legs else ""
    notes = about(around.notes, leg_key)
    situation = Situation(
        facts=facts,
        manager=family_named(facts.family).manager,
        roles=known_roles(),
        today=around.today,
        line=around.line,
        release=around.release,
        products=products,
        legs=legs,
        closed=route.closed if route else (),
        plan=plan.legs[0] if plan else None,
        way_back=_way_back(around.snapshots),
        ways_back=around.ways_back,
        records_are_readable=around.readable,
        open_leg=around.open_leg,
        no_runtime=around.no_runtime,
        damaged_state=tuple((one.path, plain(one.why)) for one in around.damage),
        notes=notes,
        backup_confirmed=around.decisions.backup_confirmed,
        settings_backup=newest_archive_day(machine) if around.readable else "",
        failed_sources=around.decisions.failed_sources,
        refreshed_at=around.decisions.refreshed_at,
        link=link_of(machine),
        estimate=around.estimate if plan else None,
        window=around.decisions.window,
    )
    findings = judge_all(situation, all_rules(), around.decisions.overruled(leg_key))
    before = last_survey(target)
    # A survey for another leg is judged otherwise: the two are not held against each other.
    comparable = before is not None and before.leg == leg_key
    return Surveyed(
        facts=facts,
        line=around.line,
        release=around.release,
        findings=findings,
        goal=goal,
        route=route,
        plan=plan,
        estimate=around.estimate if plan else None,
        changes=survey_difference(before.findings, findings) if comparable else (),
        before=before.taken_at if comparable else "",
        notes=notes,
        updates=facts.updates,
        routes=routes,
        standings=standings,
        products=products,
    )


def remember(target: Target, surveyed: Surveyed) -> None:
    """Keep a survey, so that the next one can say what changed."""
    leg = surveyed.route.legs[0].key if surveyed.route and surveyed.route.legs else ""
    keep_survey(target, KeptSurvey(surveyed.facts.taken_at, surveyed.findings, leg))


def _standings(
    around: Around, facts: Facts, products: tuple[ProductSeen, ...]
) -> tuple[Routes, ...]:
    if around.line is None or around.release is None:
        return ()
    stands = stands_of(around.line, facts, around.decisions, around.notes)
    return all_routes(around.line, around.release, facts, around.today, stands, products)


def _way_back(snapshots: tuple[Kept, ...]) -> WayBackSeen | None:
    newest = next((kept for kept in reversed(snapshots) if kept.is_whole), None)
    if newest is None:
        return None
    snapshot = newest.snapshot
    return WayBackSeen(snapshot.created, snapshot.engine, newest.keeping.deadline)


def link_of(machine: Machine) -> Link | None:
    """How the person reaches the machine that this runs on; None where it is no link."""
    connection = os.environ.get("SSH_CONNECTION", "").split()
    if not machine.is_this_system or not connection:
        return None
    kept = next((name for variable, name in _MULTIPLEXERS.items() if os.environ.get(variable)), "")
    return Link("SSH", connection[0], kept)

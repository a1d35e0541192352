"""The JSON that ``--json`` prints: stable field names, documented in docs/json.md."""

from collections.abc import Iterable
from typing import Any

import msgspec

from brave_bridge.core.formats.apt_sources import SourceEntry
from brave_bridge.core.proof.compare import Proof
from brave_bridge.core.releases.choices import Choices
from brave_bridge.core.releases.open_legs import ClosedLeg
from brave_bridge.core.releases.route import Route
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.findings import counted, worst
from brave_bridge.store.rows import EntryRow, ProcedureRow
from brave_bridge.workbench.lines import OwnFile
from brave_bridge.workbench.outlook.routes import Routes
from brave_bridge.workbench.papers.documents import document, leg
from brave_bridge.workbench.record import Surveyed
from brave_bridge.workbench.why_nothing import NothingOffered


def survey_document(surveyed: Surveyed, today) -> dict[str, Any]:
    """What ``survey --json`` prints."""
    facts = surveyed.facts
    return document(
        "survey",
        machine=facts.machine,
        taken_at=facts.taken_at,
        release=_release(surveyed, today),
        leg=leg(surveyed.route.legs[0]) if surveyed.route and surveyed.route.legs else None,
        identity=msgspec.to_builtins(facts.identity),
        package_count=len(facts.installed),
        held=[package.name for package in facts.held],
        broken=[package.name for package in facts.broken],
        updates=[msgspec.to_builtins(update) for update in surveyed.updates],
        tools=facts.tools,
        kernels=[kernel.version for kernel in facts.kernels],
        boot=msgspec.to_builtins(facts.boot),
        hardware=_hardware(facts),
        disks=[msgspec.to_builtins(disk) for disk in facts.disks],
        mounts=[msgspec.to_builtins(mount) for mount in facts.mounts],
        space=[msgspec.to_builtins(space) for space in facts.space],
        activity=_activity(facts),
        locale=facts.locale,
        history=[msgspec.to_builtins(seen) for seen in facts.history],
        sources=[source(entry) for entry in facts.sources],
        changed_configs=[config.path for config in facts.changed_configs],
        evidence=[msgspec.to_builtins(evidence) for evidence in facts.evidence],
        counts={verdict.value: n for verdict, n in counted(surveyed.findings).items()},
        worst=worst(surveyed.findings).value,
        findings=[msgspec.to_builtins(finding) for finding in surveyed.findings],
        since=surveyed.before or None,
        changes=[
            {
                "id": c.id,
                "worse": c.is_worse,
                "before": c.before.title if c.before else None,
                "after": c.after.title if c.after else None,
            }
            for c in surveyed.changes
        ],
        estimate=msgspec.to_builtins(surveyed.estimate) if surveyed.estimate else None,
    )


def _release(surveyed: Surveyed, today) -> dict[str, Any]:
    facts, release, line = surveyed.facts, surveyed.release, surveyed.line
    kernel_ends = line.kernel_ends(facts.boot.series) if line else None
    phase = release.phase(today) if release else None
    return {
        "line": line.id if line else facts.identity.os_id,
        "name": facts.identity.name,
        "version": facts.identity.version_id,
        "codename": facts.identity.codename,
        "architecture": facts.identity.architecture,
        "support_ends": str(release.support_ends) if release and release.support_ends else None,
        "support_days": release.support_days(today) if release else None,
        "support_phase": phase.kind if phase else None,
        "support_phases": [msgspec.to_builtins(p) for p in release.phases] if release else [],
        "support_source": (release.source if release else "") or (line.source if line else ""),
        "kernel_series": facts.boot.series,
        "kernel_ends": str(kernel_ends) if kernel_ends else None,
    }


def _hardware(facts: Facts) -> dict[str, Any]:
    made = msgspec.to_builtins(facts.hardware)
    made["flags"] = sorted(facts.hardware.flags)
    return made


def _activity(facts: Facts) -> dict[str, Any]:
    goes_on = facts.activity
    return {
        "failed": [unit.name for unit in goes_on.failed],
        "active": [unit.name for unit in goes_on.units if unit.active == "active"],
        "enabled": list(goes_on.enabled),
        "timers": [unit.name for unit in goes_on.timers],
        "ports": [port.title for port in goes_on.ports],
        "sessions": [msgspec.to_builtins(session) for session in goes_on.sessions],
        "guests": [msgspec.to_builtins(guest) for guest in goes_on.guests],
        "stale_programs": [msgspec.to_builtins(program) for program in goes_on.stale],
        "clock_synchronised": goes_on.clock.synchronised,
        "zone": goes_on.clock.zone,
        "restart_wanted": goes_on.restart_wanted,
    }


def source(entry: SourceEntry) -> dict[str, Any]:
    """A package source."""
    return {
        "file": entry.path,
        "line": entry.line,
        "uris": list(entry.uris),
        "suites": list(entry.suites),
        "components": list(entry.components),
    }


def route_document(
    route: Route,
    offered: Choices,
    standings: Iterable[Routes],
    nothing: NothingOffered | None,
    *,
    safest: bool,
) -> dict[str, Any]:
    """What ``route --json`` prints."""
    return document(
        "route",
        line=route.line,
        standings=[
            {
                "scale": one.line.scale,
                "line": one.line.id,
                "at": one.here.key,
                "reaches": [later.end.key for later in one.later() if later.is_open],
            }
            for one in standings
        ],
        way="safest" if safest else "shortest",
        ways=[
            {
                "kinds": list(way.kinds),
                "to": way.end.key,
                "stops": [leg.end.key for leg in way.legs],
                "remarks": list(way.remarks),
            }
            for way in offered.ways
        ],
        closed=[_closed(leg) for leg in route.closed],
        legs=[leg(one) for one in route.legs],
        refused=[{"from": r.start, "to": r.end, "reason": r.reason} for r in route.refused],
        nothing_offered=msgspec.to_builtins(nothing),
    )


def _closed(leg: ClosedLeg) -> dict[str, str]:
    return {"from": leg.start.key, "to": leg.end.key, "cause": leg.cause, "reason": leg.reason}


def plain_record(record: msgspec.Struct) -> dict[str, Any]:
    """A record's fields as they are."""
    return msgspec.to_builtins(record)


def proof(found: Proof) -> dict[str, Any]:
    """A proof."""
    return {
        "passed": found.passed,
        "differences": [msgspec.to_builtins(d) for d in found.differences],
        "same": [msgspec.to_builtins(d) for d in found.same],
        "tasks": [msgspec.to_builtins(task) for task in found.tasks],
    }


def topics(facts: Facts) -> dict[str, Any]:
    """The topics of a baseline."""
    return {
        "machine": facts.machine,
        "taken_at": facts.taken_at,
        "topics": [msgspec.to_builtins(topic) for topic in facts.topics],
    }


def procedure(row: ProcedureRow) -> dict[str, Any]:
    """A crossing or a return, without its requests."""
    outcome = row.outcome
    shown = None
    if outcome:
        shown = msgspec.to_builtins(outcome)
        shown["proof"] = proof(outcome.proof) if outcome.proof else None
    return {
        "id": row.id,
        "procedure": row.kind,
        "title": row.title,
        "state": row.state,
        "began": row.began,
        "ended": row.ended,
        "outcome": shown,
    }


def entry(row: EntryRow) -> dict[str, Any]:
    """One request of a procedure."""
    argv, reply = row.argv, row.answered
    return {
        "number": row.seq,
        "request": row.kind,
        "title": row.title,
        "began": row.began,
        "ended": row.ended,
        "ok": row.ok,
        "note": row.note,
        **({"argv": list(argv)} if argv else {}),
        **{
            k: reply[k]
            for k in ("exit_code", "output", "seconds", "lost", "choice", "by")
            if k in reply
        },
    }


def catalogue_file(own: OwnFile) -> dict[str, Any]:
    """A catalogue file of the administrator's own."""
    return {
        "path": str(own.path),
        "line": own.line.id if own.line else None,
        "faults": [plain_record(fault) for fault in own.faults],
    }

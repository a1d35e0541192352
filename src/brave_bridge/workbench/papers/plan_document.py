"""A plan as JSON, in the form that docs/json.md documents."""

from typing import Any

import msgspec

from brave_bridge.core.packages.preferences import PREFERENCE_KINDS, Preferences
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.steps import PlanStep
from brave_bridge.workbench.papers.documents import document, leg
from brave_bridge.workbench.record import KeptPlan

_LISTS = ("upgraded", "new", "removed", "kept_back", "pinned")


def _leg_plan(plan: LegPlan) -> dict[str, Any]:
    title, changes = plan.leg.title, plan.packages
    return {
        **leg(plan.leg),
        **{
            name: [
                {**msgspec.to_builtins(change), "leg": title} for change in getattr(changes, name)
            ]
            for name in _LISTS
        },
        "first_stage": list(changes.first_stage),
        "levels": [msgspec.to_builtins(level) for level in changes.levels],
        "prices": [msgspec.to_builtins(price) for price in changes.prices],
        "unsound": list(changes.unsound),
        "skipping": msgspec.to_builtins(changes.skipping),
        "download_bytes": plan.download_bytes,
        "disk_bytes": plan.disk_bytes,
        "questions": [msgspec.to_builtins(question) for question in plan.configs.questions],
        "choices": [{"key": choice.key, **msgspec.to_builtins(choice)} for choice in plan.choices],
        "obsolete": list(changes.obsolete),
        "sources": [msgspec.to_builtins(source) for source in plan.sources.outcomes],
        "steps": [_step(step) for step in plan.steps],
    }


def _step(step: PlanStep) -> dict[str, Any]:
    """A step in short: what it is, its sizes and risks; rows where nothing else lists them."""
    return {
        "step": step.kind,
        "title": step.title,
        "download_bytes": step.fetch_bytes,
        "disk_bytes": step.disk_bytes,
        "risks": list(step.risks),
        "rows": [] if step.is_listed_apart else [msgspec.to_builtins(row) for row in step.rows()],
    }


def _preferences(preferences: Preferences) -> dict[str, Any]:
    """What the person wanted: names in order, the order of the levels, answers about sources."""
    named = {kind: sorted(getattr(preferences, kind)) for kind in PREFERENCE_KINDS}
    return {
        **named,
        "order": list(preferences.order),
        "sources": preferences.sources,
        "channels": preferences.channels,
        "restart_later": sorted(preferences.restart_later),
    }


def plan_document(machine: str, kept: KeptPlan) -> dict[str, Any]:
    """A machine's plan: the lists of all legs together, and each leg by itself."""
    legs = [_leg_plan(plan) for plan in kept.legs]
    together = {name: [row for leg in legs for row in leg[name]] for name in _LISTS}
    return document(
        "plan",
        machine=machine,
        made_at=kept.made_at,
        hash=kept.hash,
        preferences=_preferences(kept.preferences),
        **together,
        download_bytes=sum(leg["download_bytes"] for leg in legs),
        disk_bytes=sum(leg["disk_bytes"] for leg in legs),
        legs=legs,
    )

"""The one approved plan that a machine keeps, and whether it still fits the machine."""

import contextlib
import hashlib
from collections.abc import Callable

from brave_bridge.core.releases.standing import EDITION, PROFILE, RELEASE
from brave_bridge.core.survey.facts import Facts
from brave_bridge.machines.kept_record import KeptRecord
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.workbench.lines import line_of
from brave_bridge.workbench.record import KeptPlan

PLAN: KeptRecord[KeptPlan | None] = KeptRecord("plan.json", KeptPlan, None, 100_000_000)


def keep_plan(machine: Machine, plan: KeptPlan) -> None:
    """Keep a plan in place of the one before, whose indices go."""
    PLAN.change(machine.state, lambda _: plan)
    own = plan.indices.rpartition("/")[2]
    above = plan.indices.rpartition("/")[0]
    for name in machine.state.names("plans/*"):
        if name.rpartition("/")[2] != own:
            remove_indices(machine, f"{above}/{name.rpartition('/')[2]}")


def change_plan(
    machine: Machine, plan: KeptPlan, change: Callable[[KeptPlan], KeptPlan]
) -> KeptPlan:
    """Change a plan as it is kept now; it as it is where another was made meanwhile."""

    def changed(kept: KeptPlan | None) -> KeptPlan:
        return change(kept if kept and kept.made_at == plan.made_at else plan)

    return PLAN.change(machine.state, changed)


def plan_as_kept(machine: Machine, plan: KeptPlan) -> KeptPlan:
    """The plan that is kept now, where it goes the way of ``plan``; else that one."""
    kept = PLAN.read(machine.state)
    keys = [leg.leg.key for leg in plan.legs]
    return kept if kept and [leg.leg.key for leg in kept.legs] == keys else plan


def has_indices(machine: Machine, plan: KeptPlan) -> bool:
    """Whether what a plan was made over is still there."""
    return bool(machine.files.matching(plan.indices))


def remove_indices(machine: Machine, folder: str) -> None:
    """Remove what a plan was to be made over."""
    with contextlib.suppress(MachineError):
        machine.files.remove_folder(folder)


def fitting_plan(machine: Machine, facts: Facts, to: str = "") -> KeptPlan | None:
    """The kept plan, if it still fits the machine (and leads to the release ``to``)."""
    plan = PLAN.read(machine.state)
    if plan is None:
        return None
    line = line_of(facts.identity)
    wanted = line.release(to) if line and to else None
    leads_there = not to or plan.to == (wanted.key if wanted else to)
    return plan if leads_there and plan.fingerprint == fingerprint(facts) else None


def fingerprint(facts: Facts) -> str:
    """What a plan depends on, in short: it changes when sources or packages do."""
    digest = hashlib.sha256()
    for scale in (RELEASE, EDITION, PROFILE):
        digest.update(f"{scale} {facts.standing(scale).words}\n".encode())
    for file in facts.source_files:
        digest.update(f"{file.path}\0{file.text}\0".encode())
    for package in facts.packages:
        digest.update(f"{package.name} {package.version} {package.want} {package.state}\n".encode())
    for config in facts.changed_configs:
        digest.update(f"{config.path} {config.sha256}\n".encode())
    return digest.hexdigest()

"""The one approved plan that a machine keeps, and whether it still fits the machine."""

import contextlib
import hashlib
import os
import shutil
from collections.abc import Callable
from pathlib import Path

import msgspec

from brave_bridge.core.releases.standing import EDITION, PROFILE, RELEASE
from brave_bridge.core.survey.facts import Facts
from brave_bridge.machines.port import STATE_FOLDER, Machine, MachineError
from brave_bridge.machines.state import changing
from brave_bridge.snapshots.writing import set_aside_damaged
from brave_bridge.workbench.lines import line_of
from brave_bridge.workbench.record import KeptPlan

PLAN_FILE = f"{STATE_FOLDER}/plan.json"
_LIMIT = 100_000_000


def keep_plan(machine: Machine, plan: KeptPlan) -> None:
    """Keep a plan in place of the one before, whose indices go."""
    with changing(machine.state / "plan.json", machine.name):
        _write(machine, plan)
    _remove_other_indices(machine, plan)


def change_plan(
    machine: Machine, plan: KeptPlan, change: Callable[[KeptPlan], KeptPlan]
) -> KeptPlan:
    """Change a plan as it is kept now; it as it is where another was made meanwhile."""
    with changing(machine.state / "plan.json", machine.name):
        kept = _kept(machine)
        changed = change(kept if kept and kept.made_at == plan.made_at else plan)
        _write(machine, changed)
    return changed


def _write(machine: Machine, plan: KeptPlan) -> None:
    if plan_fault(machine):
        set_aside_damaged(machine.state / "plan.json")
    machine.write(PLAN_FILE, msgspec.json.encode(plan), 0o600)


def standing_plan(machine: Machine, plan: KeptPlan) -> KeptPlan:
    """The plan that is kept now, where it goes the way of ``plan``; else that one."""
    kept = _kept(machine)
    keys = [leg.leg.key for leg in plan.legs]
    return kept if kept and [leg.leg.key for leg in kept.legs] == keys else plan


def has_indices(machine: Machine, plan: KeptPlan) -> bool:
    """Whether what a plan was made over is still there."""
    return _indices(machine, plan.indices).is_dir()


def remove_indices(machine: Machine, folder: str) -> None:
    """Remove what a plan was to be made over."""
    shutil.rmtree(_indices(machine, folder), ignore_errors=True)


def _indices(machine: Machine, folder: str) -> Path:
    return machine.state / folder.removeprefix(f"{STATE_FOLDER}/")


def _remove_other_indices(machine: Machine, plan: KeptPlan) -> None:
    own = plan.indices.rpartition("/")[2]
    with contextlib.suppress(OSError):
        for name in os.listdir(machine.state / "plans"):
            if name != own:
                remove_indices(machine, f"{STATE_FOLDER}/plans/{name}")


def plan_fault(machine: Machine) -> str:
    """Why the kept plan cannot be read; empty where it can, or there is none."""
    try:
        _read(machine)
    except (MachineError, msgspec.DecodeError) as error:
        return str(error)
    return ""


def _read(machine: Machine) -> KeptPlan | None:
    content = machine.read_if_there(PLAN_FILE, _LIMIT)
    return None if content is None else msgspec.json.decode(content, type=KeptPlan)


def _kept(machine: Machine) -> KeptPlan | None:
    try:
        return _read(machine)
    except (MachineError, msgspec.DecodeError):
        return None


def fitting_plan(machine: Machine, facts: Facts, to: str = "") -> KeptPlan | None:
    """The kept plan, if it still fits the machine (and leads to the release ``to``)."""
    plan = _kept(machine) if machine.state.is_dir() else None
    if plan is None:
        return None
    line = line_of(facts.identity)
    wanted = line.release(to) if line and to else None
    fits = plan.fingerprint == fingerprint(facts) and (wanted is None or wanted.key == plan.to)
    return plan if fits else None


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

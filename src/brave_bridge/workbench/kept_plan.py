"""The one approved plan that a machine keeps, and whether it still fits the machine."""

import hashlib

import msgspec

from brave_bridge.core.survey.facts import Facts
from brave_bridge.machines.port import STATE_FOLDER, Machine
from brave_bridge.workbench.lines import line_of
from brave_bridge.workbench.record import KeptPlan

PLAN_FILE = f"{STATE_FOLDER}/plan.json"
_LIMIT = 100_000_000


def keep_plan(machine: Machine, plan: KeptPlan) -> None:
    """Keep a plan in place of the one before."""
    machine.write(PLAN_FILE, msgspec.json.encode(plan), 0o600)


def fitting_plan(machine: Machine, facts: Facts, to: str = "") -> KeptPlan | None:
    """The kept plan, if it still fits the machine (and leads to the release ``to``)."""
    if not machine.state.is_dir():
        return None
    content = machine.read_if_there(PLAN_FILE, _LIMIT)
    if content is None:
        return None
    try:
        plan = msgspec.json.decode(content, type=KeptPlan)
    except msgspec.DecodeError:
        return None
    line = line_of(facts.identity)
    wanted = line.release(to) if line and to else None
    fits = plan.fingerprint == fingerprint(facts) and (wanted is None or wanted.key == plan.to)
    return plan if fits else None


def fingerprint(facts: Facts) -> str:
    """What a plan depends on, in short: it changes when sources or packages do."""
    digest = hashlib.sha256()
    for file in facts.source_files:
        digest.update(f"{file.path}\0{file.text}\0".encode())
    for package in facts.packages:
        digest.update(f"{package.name} {package.version} {package.want} {package.state}\n".encode())
    for config in facts.changed_configs:
        digest.update(f"{config.path} {config.sha256}\n".encode())
    return digest.hexdigest()

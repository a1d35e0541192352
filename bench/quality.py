"""How good plans are: many random machines, each plan judged by apt and by other eyes.

``python -m bench.quality 200`` makes up that many machines of 200 to 2,500 packages, with
holds, foreign packages and partial upgrades, plans both legs and the direct jump for each,
and prints what came of it as Markdown.
"""

import random
import sys
import tempfile
from collections import Counter
from pathlib import Path

import msgspec
from tests.support import deb_machines as machines
from tests.support.reason_checker import faults_of_reason

from brave_bridge.core.planning.checker import faults_of_plan
from brave_bridge.core.planning.explanation import Explainer
from brave_bridge.core.planning.package_plan import PackagePlan
from brave_bridge.core.planning.planner import plan_packages
from brave_bridge.core.planning.universe import Universe
from brave_bridge.families.deb.exact import preferences, wanted


class Judged(msgspec.Struct):
    """What came of one plan. Lists are empty where all is well."""

    plan: PackagePlan
    faults: list[str]
    """What the checker finds wrong with it."""
    apt_differs: list[str]
    """What apt would do other than exactly it."""
    hand_installed_lost: list[str]
    wrong_reasons: list[str]
    unproven: list[str]
    reasons: int = 0


def judge(
    machine: machines.Machine, world: machines.AptWorld, *releases: str, explain: bool = False
) -> Judged:
    """Plan for a machine and have the plan looked at from all sides."""
    universe = machine.universe(*releases)
    plan = plan_packages(universe)
    judged = Judged(
        plan=plan,
        faults=[f"{fault.package} {fault.what}" for fault in faults_of_plan(plan)],
        apt_differs=_differences(machine, world, plan),
        hand_installed_lost=[
            slot
            for slot in plan.removed
            if plan.before[slot].by_hand and plan.before[slot].package.name in universe.archive
        ],
        wrong_reasons=[],
        unproven=[level.name for level in plan.levels if not level.proven],
    )
    if explain:
        _explain(universe, plan, judged)
    return judged


def _differences(machine, world, plan: PackagePlan) -> list[str]:
    words = list(wanted(plan))
    if not words:
        return []
    file = machine.status.parent / f"preferences-{world.folder.name}"
    file.write_text(preferences(plan))
    try:
        summary = world.changes(
            "-o", f"Dir::Etc::preferences={file}", "--no-install-recommends", "install", *words,
            status=machine.status, marks=machine.marks,
        )  # fmt: skip
    except RuntimeError as error:
        return [f"apt refuses it: {error}"]
    theirs = {
        "upgraded": {row.name for row in summary.upgraded + summary.downgraded},
        "new": {row.name for row in summary.new},
        "removed": {row.name for row in summary.removed},
    }
    return [
        f"{kind}: {name}"
        for kind, names in theirs.items()
        for name in sorted(names ^ set(getattr(plan, kind)))
    ]


def _explain(universe: Universe, plan: PackagePlan, judged: Judged) -> None:
    explainer = Explainer(universe, plan)
    try:
        for slot in (*plan.removed, *plan.kept_back):
            newer = [plan.candidates[slot]] if slot in plan.candidates else []
            if slot in plan.after:
                if plan.before[slot].held:
                    continue
                reason, asked = explainer.why_kept(slot), newer
            else:
                reason, asked = explainer.why_gone(slot), [plan.before[slot].package, *newer]
            judged.reasons += 1
            judged.wrong_reasons += [
                f"{slot}: {fault}" for fault in faults_of_reason(universe, plan, reason, asked)
            ]
    finally:
        explainer.close()


def run(count: int) -> None:
    """Judge that many machines and print a table."""
    with tempfile.TemporaryDirectory(prefix="brave-bridge-quality-", dir="/var/tmp") as folder:
        worlds = machines.Worlds(Path(folder))
        totals = {leg: Counter() for leg in ("11 to 12", "12 to 13", "11 to 13")}
        for seed in range(count):
            chance = random.Random(seed)
            machine = worlds.machine(chance.randint(200, 2_500), seed, spoilt=True)
            first = judge(machine, worlds.of("bookworm"), "bookworm", explain=True)
            _count(totals["11 to 12"], machine, worlds.of("bookworm"), first)
            after = worlds.after(machine, first.plan, "bookworm")
            second = judge(after, worlds.of("trixie"), "trixie", explain=True)
            _count(totals["12 to 13"], after, worlds.of("trixie"), second)
            direct = judge(machine, worlds.of("trixie"), "trixie", explain=True)
            _count(totals["11 to 13"], machine, worlds.of("trixie"), direct)
            print(f"<!-- {seed + 1} of {count} -->", file=sys.stderr, flush=True)
    print("| what | " + " | ".join(totals) + " |")
    print("|---|" + "---|" * len(totals))
    for what in sorted({key for total in totals.values() for key in total}):
        print(f"| {what} | " + " | ".join(str(total[what]) for total in totals.values()) + " |")


def _count(total: Counter, machine, world, judged: Judged) -> None:
    plan = judged.plan
    total["plans"] += 1
    total["plans with a fault"] += bool(judged.faults)
    total["plans that apt would carry out otherwise"] += bool(judged.apt_differs)
    total["plans not proven best"] += bool(judged.unproven)
    total["reasons"] += judged.reasons
    total["reasons wrong or not smallest"] += len(judged.wrong_reasons)
    total["hand-installed packages lost, ours"] += len(judged.hand_installed_lost)
    total["gone, ours"] += len(plan.removed)
    total["kept back, ours"] += len(plan.kept_back)
    for words in (*judged.faults, *judged.apt_differs[:3], *judged.wrong_reasons[:3]):
        print(f"<!-- {machine.status.parent.name}: {words[:300]} -->", file=sys.stderr)
    try:
        own = world.changes("full-upgrade", status=machine.status, marks=machine.marks)
    except RuntimeError:
        total["apt alone has no plan"] += 1
        return
    removed = {row.name for row in own.removed}
    archive = machine.universe(world.release).archive
    total["hand-installed packages lost, apt alone"] += sum(
        one.by_hand and slot in removed and one.package.name in archive
        for slot, one in plan.before.items()
    )
    total["gone, apt alone"] += len(removed)
    total["kept back, apt alone"] += len(own.kept_back)
    total["the same plan as apt alone"] += removed == set(plan.removed) and {
        row.name for row in own.kept_back
    } == set(plan.kept_back)


if __name__ == "__main__":
    run(int(sys.argv[1]) if len(sys.argv) > 1 else 20)

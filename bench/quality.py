"""How good plans are: many random machines, each plan judged by apt and by other eyes.

``python -m bench.quality 200`` makes up that many machines of 200 to 2,500 packages, with
holds, foreign packages and partial upgrades, plans both legs and the direct jump for each,
and prints what came of it as Markdown. A second number is the first machine's; a third word
is a file in which each machine's result is kept: what is in it already is not judged again and
is part of the table, so that the work can be shared and go on later. A fourth is another
architecture whose libraries are on the machines too (``i386``).
"""

import random
import signal
import subprocess
import sys
import tempfile
from collections import Counter
from pathlib import Path

import msgspec
from tests.support import deb_machines as machines
from tests.support.level_counter import failed_clauses
from tests.support.reason_checker import faults_of_reason

from brave_bridge.core.crossing.replies import FileText
from brave_bridge.core.crossing.requests import Run
from brave_bridge.core.formats.apt_output import ChangeSummary
from brave_bridge.core.packages.changes import PackageChanges
from brave_bridge.core.packages.package_version import PackageVersion
from brave_bridge.core.planning.checker import faults_of_plan
from brave_bridge.core.planning.explanation import Explainer
from brave_bridge.core.planning.package_plan import PackagePlan
from brave_bridge.core.planning.planner import plan_packages
from brave_bridge.core.planning.telling import bare
from brave_bridge.core.planning.universe import Universe
from brave_bridge.families.deb.commands import DebCommands
from brave_bridge.families.deb.exact import stages_of

_ONLY_TELL = ("--no-download", "--download-only")
"""apt tells what it chose and does nothing; a simulation would order it all, which takes long."""


LEGS = ("11 to 12", "12 to 13", "11 to 13")
Totals = dict[str, dict[str, int]]
"""What came of a machine's plans: for each leg how often each thing was seen."""


class Judged(msgspec.Struct):
    """What came of one plan. Lists are empty where all is well."""

    universe: Universe
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
        universe=universe,
        plan=plan,
        faults=[f"{fault.package} {fault.what}" for fault in faults_of_plan(plan)],
        apt_differs=_differences(machine, world, bare(universe, plan), plan, releases),
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


def _differences(
    machine, world, changes: PackageChanges, plan: PackagePlan, releases: tuple[str, ...]
) -> list[str]:
    """What apt would do other than the plan, given the very commands of a crossing."""
    commands = DebCommands().exactly(changes)
    first, rest = stages_of(changes)
    between = machines.after(machine, _as_far_as(plan, first), *releases, name="between")
    steps = (
        (machine, commands.download, commands.files[1], changes),
        (machine, commands.stage_one, commands.files[0], first),
        (between, commands.stage_two, commands.files[1], rest),
    )
    return [
        words
        for start, step, choice, part in steps
        if step is not None
        for words in _otherwise(start, world, getattr(step, "command", step), choice, part)
    ]


def _as_far_as(plan: PackagePlan, first: PackageChanges) -> PackagePlan:
    """The plan as it stands behind its first stage."""
    stands = {slot: one.package for slot, one in plan.before.items()}
    after = stands | {change.name: plan.after[change.name] for change in first.upgraded}
    return msgspec.structs.replace(plan, after=after)


def _otherwise(machine, world, command: Run, choice: FileText, wanted: PackageChanges) -> list[str]:
    file = machine.status.parent / f"preferences-{world.folder.name}"
    file.write_text(choice.text)
    words = [word.replace(choice.path, str(file)) for word in command.argv]
    at = words.index("-o", words.index("APT::Status-Fd=3"))
    try:
        summary = world.changes(
            *_ONLY_TELL, *words[at:], status=machine.status, marks=machine.marks
        )
    except RuntimeError as error:
        return [f"{command.title}, apt refuses it: {error}"]
    theirs = {
        "upgraded": summary.upgraded + summary.downgraded,
        "new": summary.new,
        "removed": summary.removed,
    }
    return [
        f"{command.title}, {kind}: {name}"
        for kind, rows in theirs.items()
        for name in sorted({row.name for row in rows} ^ {c.name for c in getattr(wanted, kind)})
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


def run(count: int, first: int = 0, kept: str = "", *foreign: str) -> None:
    """Judge that many machines and print a table."""
    known = _known(Path(kept)) if kept else {}
    asked_to_stop: list[int] = []
    signal.signal(signal.SIGTERM, lambda number, frame: asked_to_stop.append(number))
    with tempfile.TemporaryDirectory(prefix="brave-bridge-quality-", dir="/var/tmp") as folder:
        worlds = machines.Worlds(Path(folder), (machines.NATIVE, *foreign))
        for seed in range(first, first + count):
            if asked_to_stop:
                break
            if seed in known:
                continue
            try:
                known[seed] = _judge_machine(worlds, seed)
            except subprocess.TimeoutExpired as error:
                print(f"<!-- machine {seed} left out: {error} -->", file=sys.stderr)
                continue
            print(f"<!-- {seed + 1 - first} of {count} -->", file=sys.stderr, flush=True)
            if kept:
                with open(kept, "ab") as stream:
                    stream.write(msgspec.json.encode((seed, known[seed])) + b"\n")
    _print_table(_known(Path(kept)) if kept else known)


def _known(kept: Path) -> dict[int, Totals]:
    """The results in a file, by machine."""
    if not kept.exists():
        return {}
    rows = (
        msgspec.json.decode(line, type=tuple[int, Totals])
        for line in kept.read_bytes().splitlines()
    )
    return dict(rows)


def _print_table(judged: dict[int, Totals]) -> None:
    """The sums over all machines."""
    legs = {leg: Counter() for leg in LEGS}
    for totals in judged.values():
        for leg, total in totals.items():
            legs[leg].update(total)
    print(f"<!-- {len(judged)} machines -->")
    print("| what | " + " | ".join(legs) + " |")
    print("|---|" + "---|" * len(legs))
    for what in sorted({key for total in legs.values() for key in total}):
        print(f"| {what} | " + " | ".join(str(total[what]) for total in legs.values()) + " |")


def _judge_machine(worlds: machines.Worlds, seed: int) -> Totals:
    """Plan for one machine step by step and straight, and have the plans judged."""
    totals = {leg: Counter() for leg in LEGS}
    chance = random.Random(seed)
    machine = worlds.machine(chance.randint(200, 2_500), seed, spoilt=True)
    first = judge(machine, worlds.of("bookworm"), "bookworm", explain=True)
    _count(totals["11 to 12"], machine, worlds.of("bookworm"), first)
    after = machines.after(machine, first.plan, "bookworm")
    second = judge(after, worlds.of("trixie"), "trixie", explain=True)
    _count(totals["12 to 13"], after, worlds.of("trixie"), second)
    direct = judge(machine, worlds.of("trixie"), "trixie", explain=True)
    _count(totals["11 to 13"], machine, worlds.of("trixie"), direct)
    return {leg: dict(total) for leg, total in totals.items()}


def _count(total: Counter, machine, world, judged: Judged) -> None:
    universe, plan = judged.universe, judged.plan
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
        print(f"<!-- {machine.status.parent.name}: {words[:2000]} -->", file=sys.stderr)
    try:
        own = world.changes("full-upgrade", status=machine.status, marks=machine.marks)
    except RuntimeError:
        total["apt alone has no plan"] += 1
        return
    removed = {row.name for row in own.removed}
    kept_back = {row.name for row in own.kept_back}
    total["hand-installed packages lost, apt alone"] += sum(
        one.by_hand and slot in removed and one.package.name in universe.archive
        for slot, one in plan.before.items()
    )
    total["gone, apt alone"] += len(removed)
    total["kept back, apt alone"] += len(kept_back)
    only_ours = {*plan.removed, *plan.kept_back} - removed - kept_back
    only_apts = (removed | kept_back) - {*plan.removed, *plan.kept_back}
    total["differ: given up or kept back by ours alone, each with its reason"] += len(only_ours)
    total["differ: by apt alone, without need as ours shows"] += len(only_apts)
    total[_compared(universe, plan, own)] += 1


def _compared(universe: Universe, plan: PackagePlan, own: ChangeSummary) -> str:
    """Where apt's own plan first does worse than ours, the weightiest level first.

    The weights are ours; that apt's plan is nowhere better confirms that ours is best by them.
    """
    ours = failed_clauses(universe, plan.after)
    for level in plan.levels:
        if ours.get(level.name, level.failed) != level.failed:
            return f"THE PLANNER MISCOUNTS: {level.name}"
    theirs = failed_clauses(universe, _standing_after(universe, own))
    for level, failed in ours.items():
        if theirs[level] != failed:
            outcome = "worse" if theirs[level] > failed else "BETTER"
            return f"plans: apt alone does {outcome} first at: {level}"
    same = {row.name for row in own.removed} == set(plan.removed) and {
        row.name for row in own.kept_back
    } == set(plan.kept_back)
    return "plans: the same as apt alone" if same else "plans: apt alone does as well otherwise"


def _standing_after(universe: Universe, own: ChangeSummary) -> dict[str, PackageVersion]:
    """The versions that stand after what apt chose."""
    after = {slot: one.package for slot, one in universe.installed.items()}
    for row in own.removed:
        del after[row.name]
    for row in (*own.upgraded, *own.downgraded, *own.new):
        offered = universe.offered(row.name.partition(":")[0])
        after[row.name] = next(
            version for version in offered if (version.slot, version.version) == (row.name, row.new)
        )
    return after


if __name__ == "__main__":
    count, first, kept, *foreign = (*sys.argv[1:], *("20", "0", "")[len(sys.argv) - 1 :])
    run(int(count), int(first), kept, *foreign)

"""Baseline and comparison: of a real tree and of 500 stand-ins; a whole leg by its phases."""

import subprocess
import tempfile
from pathlib import Path

from tests.support import lab

from bench.fleet import MACHINES, copy_of_demo
from bench.measure import in_turn, seconds
from brave_bridge.core.proof.alike import hold_against
from brave_bridge.core.survey.facts import Facts
from brave_bridge.families.registry import baseline
from brave_bridge.machines.standin.machine import StandInMachine
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.workbench.demo import build_demo


def run_all() -> None:
    """Both, on trees that nobody changes and on copies that are removed afterwards."""
    if reason := lab.why_not():
        print(f"left out, baseline of a real tree: {reason}")
    else:
        _real_tree()
    with tempfile.TemporaryDirectory(prefix="brave-bridge-bench-", dir="/var/tmp") as name:
        _stand_ins(Path(name))


def _compared(machine, family: str, before: Facts) -> None:
    hold_against(before, baseline(machine, family))


def _real_tree() -> None:
    tree = lab.bullseye()
    script = "dpkg-query -W -f '${Status} ${Package} ${Version} ${Conffiles}' && dpkg --verify"
    before = baseline(TreeMachine("tree", tree), "deb")
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    in_turn(
        "baseline of a real tree, compared with one of before (at most 1 s is wanted)",
        lambda: seconds(lambda: _compared(TreeMachine("tree", tree), "deb", before)),
        "`dpkg-query -W` and `dpkg --verify` in the tree",
        lambda: seconds(
            lambda: subprocess.run(["chroot", tree, "sh", "-c", script], check=False, **quiet)
        ),
    )


def _stand_ins(folder: Path) -> None:
    build_demo(folder / "demo", pace=0.0)
    roots = [copy_of_demo(folder, number) for number in range(MACHINES)]

    before = {root: baseline(StandInMachine(root.name, root), "") for root in roots}

    def ours() -> None:
        for root in roots:
            _compared(StandInMachine(root.name, root), "", before[root])

    def theirs() -> None:
        for root in roots:
            subprocess.run(
                ["cat", root / "usr/lib/os-release"], check=True, stdout=subprocess.DEVNULL
            )

    in_turn(
        f"baseline of {MACHINES} stand-ins, compared with before (at most 10 s is wanted)",
        lambda: seconds(ours),
        "one `cat` of os-release for each",
        lambda: seconds(theirs),
        rounds=1,
    )


if __name__ == "__main__":
    run_all()

"""A procedure that dies at each of its requests: the machine as that leaves it, and gone on with.

The procedure runs once; at every request the machine's tree is copied as it stands, which is what
a machine has whose power went there. So each death costs only what is still ahead of it.
"""

import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path

from brave_bridge.machines.standin.machine import StandInMachine
from brave_bridge.store.logbook import Logbook
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.targets import Target
from tests.support.runs import carry_out, carry_out_on, contents, outcome_of

_ONLY_LOOK = (
    "Checkpoint",
    "ReadFacts",
    "ReadFiles",
    "ListFiles",
    "CheckBoot",
    "CompareWithSnapshot",
    "FetchSuites",
    "PlanPackages",
    "AwaitAnswer",
    "AwaitJobs",
    "ReadBundle",
    "ReadMedium",
)


def only_looks(kind: str) -> bool:
    """Whether a request leaves nothing behind: around it all is as before the next."""
    return kind in _ONLY_LOOK


def desk_at(root: Path, name: str) -> Desk:
    """The desk of a stand-in under a folder."""
    return Desk(Target("demo", name), StandInMachine(name, root))


def ends_the_same_after_each_death(
    start: Path,
    name: str,
    procedure: str,
    moment: str,
    folder: Path,
    *,
    share: tuple[int, int] = (0, 1),
    matters: Callable[[str], bool] = lambda kind: not only_looks(kind),
    holds: Callable[[Path], bool] = lambda root: True,
) -> int:
    """Let a begun procedure die at each request that matters, and go on; how often it died.

    ``start`` is the machine with the procedure begun and is left as it is; ``moment`` is
    ``before`` or ``after`` the deed. Of the deaths only those of a ``share`` (which, of how many)
    are tried. All must end as the procedure does that nobody ends, and ``holds`` be true then.
    """
    smooth = folder / "smooth"
    shutil.copytree(start, smooth, symlinks=True)
    died: list[int] = []

    def copied(now: str, seq: int, logbook: Logbook) -> bool:
        if now == moment and matters(logbook.entries(procedure, seq)[0].kind):
            died.append(seq)
            if (len(died) - 1) % share[1] == share[0]:
                _copy(smooth, folder / f"died-{seq}")
        return False

    assert carry_out_on(lambda: desk_at(smooth, name), procedure, copied) == 0
    end, outcome = contents(smooth), outcome_of(smooth, name, procedure)
    assert outcome.state == "done", outcome
    places = sorted(folder.glob("died-*"))
    for root in places:
        assert carry_out(root, name, procedure) == 0
        again = outcome_of(root, name, procedure)
        assert again.state == "done", (moment, root.name, again)
        assert again.proof is None or again.proof.passed, (moment, root.name, again)
        assert holds(root), f"what must hold does not behind {root.name} ({moment})"
        assert contents(root) == end, f"another end after it {root.name} ({moment})"
        shutil.rmtree(root)
    return len(places)


def _copy(tree: Path, to: Path) -> None:
    """Copy a tree in which a command may still be at work: what vanishes meanwhile is no fault."""
    for _ in range(20):
        if subprocess.run(["cp", "-a", tree, to], check=False, capture_output=True).returncode == 0:
            return
        shutil.rmtree(to)
    raise AssertionError(f"{tree} is never still")

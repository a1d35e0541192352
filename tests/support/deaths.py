"""A procedure that dies at each of its requests, is gone on with, and dies at the next one."""

import os
import shutil
import signal
from collections.abc import Callable
from pathlib import Path

from brave_bridge.machines.standin.machine import StandInMachine
from brave_bridge.store.logbook import Logbook
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.targets import Target
from tests.support.runs import carry_out_on, contents, outcome_of

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
    matters: Callable[[str], bool] = lambda kind: not only_looks(kind),
    holds: Callable[[Path], bool] = lambda root: True,
) -> int:
    """Let a begun procedure die at each request that matters; how often it died.

    ``start`` is the machine with the procedure begun and is left as it is; ``moment`` is
    ``before`` or ``after`` the deed. Each runner goes on with what the one before left, and dies
    at the next such request. It must end as the procedure does that nobody ends, and ``holds``
    be true then.
    """
    smooth, rough = folder / "smooth", folder / "rough"
    for root in (smooth, rough):
        shutil.copytree(start, root, symlinks=True)
    assert carry_out_on(lambda: desk_at(smooth, name), procedure) == 0
    outcome = outcome_of(smooth, name, procedure)
    assert outcome.state == "done", outcome
    deaths = _die_at_each(rough, name, procedure, moment, matters)
    again = outcome_of(rough, name, procedure)
    assert again.state == "done", (moment, deaths, again)
    assert again.proof is None or again.proof.passed, (moment, deaths, again)
    assert holds(rough), f"what must hold does not behind {deaths} deaths ({moment})"
    assert contents(rough) == contents(smooth), f"another end behind {deaths} deaths ({moment})"
    return deaths


def _die_at_each(
    root: Path, name: str, procedure: str, moment: str, matters: Callable[[str], bool]
) -> int:
    mark, deaths = root.parent / "died-at", 0
    mark.write_text("-1")
    while True:
        last = int(mark.read_text())

        def shall_die(now: str, seq: int, logbook: Logbook, last: int = last) -> bool:
            if now != moment or seq <= last or not matters(logbook.entries(procedure, seq)[0].kind):
                return False
            mark.write_text(str(seq))
            return True

        status = carry_out_on(lambda: desk_at(root, name), procedure, shall_die)
        if not os.WIFSIGNALED(status):
            assert status == 0
            return deaths
        assert os.WTERMSIG(status) == signal.SIGKILL
        deaths += 1

"""One plan in a process of its own: ``python -m bench.one_plan STATUS MARKS STORE SHA256``."""

import sys
from pathlib import Path

from brave_bridge.archives.store import IndexStore
from brave_bridge.core.formats.packages.deb_index import DebIndex
from brave_bridge.core.planning.planner import collector_at_rest, plan_packages
from brave_bridge.core.planning.universe import Universe
from brave_bridge.families.deb.archive import DebArchive
from brave_bridge.families.deb.policy import Origin, Policy
from brave_bridge.families.deb.system import installed_packages
from brave_bridge.machines.opening.beneath import Beneath

NATIVE = "amd64"


def universe(status: Path, marks: Path, index: DebIndex) -> Universe:
    """All that may stand on a machine with one index."""
    found = list(installed_packages(status.read_bytes(), marks.read_text(), NATIVE))
    present = {one.package.slot: one.package for one in found}
    indices = [(index, Origin(suite="new"))]
    return Universe(found, DebArchive(indices, Policy(), (NATIVE,), present))


def opened(store: IndexStore, sha256: str) -> DebIndex:
    """An index of a store."""
    return DebIndex(*store.open(sha256), NATIVE, "new")


if __name__ == "__main__":
    status, marks, folder, sha256 = sys.argv[1:]
    with collector_at_rest():
        index = opened(IndexStore(Beneath(folder)), sha256)
        plan = plan_packages(universe(Path(status), Path(marks), index))
    print(len(plan.upgraded), len(plan.new), len(plan.removed), len(plan.kept_back))
    lines = Path("/proc/self/status").read_text().splitlines()
    print(next(line.split()[1] for line in lines if line.startswith("VmHWM")))

"""Looking into the initial file system of a kernel before it is booted."""

from brave_bridge.core.crossing.replies import DriversAtStart
from brave_bridge.core.crossing.requests import LookIntoInitrd
from brave_bridge.core.formats.initial_file_system import modules_in
from brave_bridge.core.formats.kernel_path import MODULE_FOLDERS
from brave_bridge.core.formats.packing import PackingError
from brave_bridge.core.kernels.starting import missing_at_start, module_paths
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.machines.queries import Contents

_LARGEST = 1 << 30


def look_into_initrd(machine: Machine, request: LookIntoInitrd) -> DriversAtStart:
    """What a kernel would lack to come to the root; why that is not known, where it is not."""
    try:
        there = _modules_in(machine, request.initrd)
    except (PackingError, MachineError) as error:
        return DriversAtStart((), f"{request.initrd}: {getattr(error, 'seen', '') or error}")
    lists = tuple(f"{folder}/{request.kernel}/modules.dep" for folder in MODULE_FOLDERS)
    seen = machine.files.gather((Contents((*lists, "/proc/modules"), limit=16_000_000),))
    listed = next((text for path in lists if (text := seen.text(path)) is not None), "")
    if not listed:
        return DriversAtStart((), f"there is no list of the modules of {request.kernel}")
    loaded = {line.partition(" ")[0] for line in (seen.text("/proc/modules") or "").splitlines()}
    try:
        before = _modules_in(machine, request.before) if request.before else set()
    except (PackingError, MachineError):
        before = set()
    paths = module_paths(listed)
    return DriversAtStart(tuple(missing_at_start(request.root_type, paths, there, loaded, before)))


def _modules_in(machine: Machine, path: str) -> set[str]:
    return modules_in(machine.files.read(path, _LARGEST))

"""Reading image bundles on behalf of scripts and desks."""

from brave_bridge.archives.bundle import Announced, BundleReader
from brave_bridge.archives.fault import ArchiveFault
from brave_bridge.core.crossing.replies import BundleRead, Reply
from brave_bridge.core.crossing.requests import ReadBundle
from brave_bridge.core.images.system import KEY_FILES
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.opening.named import named
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.machines.queries import Contents


def read_bundle(machine: Machine, path: str, line: str, serial: int) -> Announced:
    """Read a bundle whole: its sums are known to be true only then.

    ``path`` is on the machine, or here where the machine has no such file. MachineError where it
    is no bundle that may be believed.
    """
    attempted = f"reading the bundle {path}"
    keys = machine.files.gather((Contents((KEY_FILES,), 1_000_000),)).contents
    if not keys:
        seen = f"the machine has no key that bundles are signed with: {KEY_FILES}"
        raise MachineError(attempted, machine.name, seen)
    try:
        with _place_of(machine, path).opened() as stream:
            reader = BundleReader(stream, [*keys.values()], line, serial)
            announced = reader.announced()
            reader.components(announced.manifest, lambda component, piece: None)
            return announced
    except ArchiveFault as fault:
        remedy = "fetch it again from its makers"
        raise MachineError(attempted, machine.name, str(fault), remedy) from fault
    except OSError as error:
        seen = error.strerror or str(error)
        raise MachineError(attempted, machine.name, seen) from error


def _place_of(machine: Machine, path: str) -> Beneath:
    """Where the file is: on the machine, where that is reached by its files, else here."""
    if isinstance(machine, FolderMachine) and machine.files.is_file(path):
        return machine.files.beneath(path)
    return named(path)


def bundle_read(machine: Machine, request: ReadBundle) -> Reply:
    """What a bundle announces, read to its end."""
    announced = read_bundle(machine, request.path, request.line, request.serial)
    return BundleRead(request.path, announced.manifest, announced.signed_by)

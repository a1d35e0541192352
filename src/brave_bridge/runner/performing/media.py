"""Reading the media of licensed systems whole, on behalf of scripts and desks."""

import hashlib
import os

from brave_bridge.archives.fault import ArchiveFault
from brave_bridge.archives.signatures import verified
from brave_bridge.core.crossing.replies import MediumRead, Reply
from brave_bridge.core.crossing.requests import ReadMedium
from brave_bridge.core.licensed.medium import LARGEST, Medium, MediumFault, MediumFile, read_medium
from brave_bridge.core.licensed.system import KEY_FILES
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.machines.queries import Contents

_PIECE = 1 << 20
_LARGEST_SIGNATURE = 64_000


def medium_read(machine: Machine, request: ReadMedium) -> Reply:
    """See ReadMedium."""
    medium, signed_by = medium_at(machine, request.path)
    return MediumRead(request.path, medium, signed_by)


def medium_at(machine: Machine, path: str) -> tuple[Medium, tuple[str, ...]]:
    """A medium, read to its end, and who signed it.

    MachineError where it is damaged, where nobody whom the machine knows has signed it, or where
    the machine's files are not here.
    """
    attempted, folder = f"reading the medium {path}", path.rpartition("/")[0]
    remedy = "have the medium written again, or take another"
    if not isinstance(machine, FolderMachine):
        seen = "media are read where the machine's files are: run Brave Bridge there"
        raise MachineError(attempted, machine.name, seen)
    content = machine.files.read(path, LARGEST)
    signature = machine.files.read_if_there(f"{path}.asc", _LARGEST_SIGNATURE)
    keys = machine.files.gather((Contents((KEY_FILES,), 1_000_000),)).contents
    try:
        _, signed_by = verified(content, [*keys.values()], signature or b"")
        medium = read_medium(content)
        for file in medium.files:
            _must_be_whole(machine, f"{folder}/{file.path}", file)
    except (ArchiveFault, MediumFault) as fault:
        raise MachineError(attempted, machine.name, str(fault), remedy) from fault
    except OSError as error:
        seen = error.strerror or str(error)
        raise MachineError(attempted, machine.name, seen, remedy) from error
    return medium, signed_by


def _must_be_whole(machine: FolderMachine, path: str, file: MediumFile) -> None:
    """MediumFault where a file has another size or sum than was announced."""
    digest, left = hashlib.sha256(), file.size
    with machine.files.beneath(path).opened() as stream:
        size = os.fstat(stream.fileno()).st_size
        if size != file.size:
            raise MediumFault(f"{file.path} has {size} bytes, announced are {file.size}")
        while left and (piece := stream.read(min(left, _PIECE))):
            digest.update(piece)
            left -= len(piece)
    if digest.hexdigest() != file.sha256:
        raise MediumFault(f"{file.path} is not what was announced: its sum is another")

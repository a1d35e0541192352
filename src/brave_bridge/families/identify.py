"""Which distribution a machine has, by its own files, on any family."""

from brave_bridge.core.survey.facts import Evidence, Identity
from brave_bridge.families.topics import identity
from brave_bridge.machines.port import LookedAt, MachineError
from brave_bridge.machines.queries import Seen


def read_identity(machine: LookedAt) -> tuple[Identity, Evidence]:
    """Who the machine is; MachineError where no os-release file can be read."""
    return identity_in(machine.files.gather(identity.QUERIES), machine.name)


def identity_in(seen: Seen, machine: str) -> tuple[Identity, Evidence]:
    """Who a machine is, by what was seen of it; MachineError as above."""
    try:
        return identity.read(seen)
    except identity.NoSystem as error:
        raise MachineError(
            "identifying the system", machine, str(error), "check that this is the root of a system"
        ) from error

"""What of a machine is Brave Bridge's own: it is no finding about the machine."""

_NAME = "brave-bridge"


def is_own_package(name: str) -> bool:
    """Whether a package is ours; no source of the machine has it."""
    return name.partition(":")[0] == _NAME


def is_own_unit(name: str) -> bool:
    """Whether a unit of the service manager is one that we placed, for a while or for a proof."""
    return name.startswith(f"{_NAME}-") or name == f"{_NAME}.service"

"""What a person decides about a machine's snapshots: cover, place, retention; one TOML file.

``snapshots.toml`` in the state folder, written with the reasons beside the rules.
"""

from pathlib import Path

import msgspec
import tomlkit

from brave_bridge.core.ways_back.retention import Retention
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.port import STATE_FOLDER, Machine, MachineError
from brave_bridge.snapshots.cover import Cover, Exclusion, MountRule, cover_for

CHOICES_FILE = f"{STATE_FOLDER}/snapshots.toml"
_LIMIT = 200_000


class Choices(msgspec.Struct, frozen=True, kw_only=True):
    """The choices. Paths are absolute or relative to the root, as people write them."""

    leave_out: tuple[Exclusion, ...] = ()
    take_in: tuple[MountRule, ...] = ()
    """What the rules leave out and this machine covers all the same."""
    keep_in: str = ""
    """A folder on another disk where new snapshots are kept."""
    retention: Retention = Retention()

    def cover(self, kind: str) -> Cover:
        """The cover of a machine of that kind."""
        own = tuple(
            msgspec.structs.replace(rule, path=rule.path.strip("/")) for rule in self.leave_out
        )
        return cover_for(kind, own, self.taken_in)

    @property
    def taken_in(self) -> tuple[str, ...]:
        """The paths that are covered beyond the rules, in both notations."""
        paths = [rule.path.strip("/") for rule in self.take_in]
        return (*paths, *(f"/{path}" for path in paths))


def read_choices(machine: Machine) -> Choices:
    """A machine's choices; MachineError where the file is there and makes no sense."""
    try:
        content = machine.files.read_if_there(CHOICES_FILE, _LIMIT)
        return msgspec.toml.decode(content, type=Choices) if content else Choices()
    except ValueError as error:
        raise MachineError(
            f"reading {CHOICES_FILE}", machine.name, str(error), "mend or remove that file"
        ) from error


def choices_or_shipped(machine: Machine) -> Choices:
    """A machine's choices; those that ship with Brave Bridge where its own cannot be read.

    For looking and returning, which need what is mounted; never for taking, or letting go.
    """
    try:
        return read_choices(machine)
    except MachineError:
        return Choices()


def cover_of(machine: FolderMachine, choices: Choices) -> Cover:
    """What a snapshot of the machine covers; never its state, wherever a link has put that."""
    cover = choices.cover(machine.kind)
    if not machine.state.folder.is_relative_to(machine.root):
        return cover
    state = str(machine.state.folder.relative_to(machine.root))
    return cover if cover.leaves_out(state) else Cover((*cover.exclusions, Exclusion(state, "")))


def keep_choices(machine: Machine, choices: Choices) -> None:
    """Write them in place of those before."""
    text = tomlkit.dumps(msgspec.to_builtins(choices))
    machine.files.write(CHOICES_FILE, text.encode(), 0o600)


def own_folder(machine: FolderMachine) -> Path:
    """Where the machine itself keeps its snapshots."""
    return machine.state.folder / "snapshots"

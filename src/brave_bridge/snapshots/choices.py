"""What a person decides about a machine's snapshots: cover, place, retention; one TOML file.

``snapshots.toml`` in the state folder, written with the reasons beside the rules.
"""

import msgspec
import tomlkit

from brave_bridge.core.formats.decoding import decode_toml
from brave_bridge.core.ways_back.retention import Retention
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.kept_record import KeptRecord
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.machines.port import Machine
from brave_bridge.snapshots.trees.cover import Cover, Exclusion, MountRule, cover_for
from brave_bridge.snapshots.trees.leading import with_what_is_led_to


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


def _toml(choices: Choices) -> bytes:
    return tomlkit.dumps(msgspec.to_builtins(choices)).encode()


CHOICES: KeptRecord[Choices] = KeptRecord(
    "snapshots.toml",
    Choices,
    Choices(),
    200_000,
    decode=decode_toml,
    encode=_toml,
    mended=True,
    remedy="mend or remove that file",
)


def read_choices(machine: Machine) -> Choices:
    """A machine's choices; MachineError where the file is there and makes no sense."""
    return CHOICES.must_read(machine.state)


def choices_or_shipped(machine: Machine) -> Choices:
    """A machine's choices; those that ship with Brave Bridge where its own cannot be read.

    For looking and returning, which need what is mounted; never for taking, or letting go.
    """
    return CHOICES.read(machine.state)


def cover_of(machine: FolderMachine, choices: Choices) -> Cover:
    """What a snapshot of the machine covers; never its state, wherever a link has put that."""
    cover = with_what_is_led_to(machine.root, choices.cover(machine.kind))
    if not machine.state.folder.is_relative_to(machine.root):
        return cover
    state = str(machine.state.folder.relative_to(machine.root))
    return cover if cover.leaves_out(state) else Cover((*cover.exclusions, Exclusion(state, "")))


def own_folder(machine: FolderMachine) -> Beneath:
    """Where the machine itself keeps its snapshots."""
    return machine.state.beneath / "snapshots"

"""Files in place of others, so that no kill can lose a version.

For config files what is to be done is written down before the first changes: which of the new
versions were there, and under which name the person's own is saved. A second run does the same.
"""

import msgspec

from brave_bridge.core.crossing.replies import Done, Swapped
from brave_bridge.core.crossing.requests import FileSwap, ReplaceFiles, SwapFiles
from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.formats.text import counted
from brave_bridge.machines.port import STATE_FOLDER, Machine, MachineError

_LARGEST = 1 << 30
_MOST_SAVED = 100


def swap_files(machine: Machine, request: SwapFiles, name: str) -> Swapped:
    """Carry out the swaps whose newer version was there at the first try."""
    place = f"{STATE_FOLDER}/swaps-{name}.json"
    content = machine.files.read_if_there(place, _LARGEST)
    if content is None:
        there = [swap for swap in request.swaps if machine.files.is_file(swap.newer)]
        swaps = [msgspec.structs.replace(s, saved=_free_name(machine, s)) for s in there]
        machine.files.write(place, msgspec.json.encode(swaps), 0o600)
    else:
        swaps = _written_down(machine, place, content)
    for swap in swaps:
        _swap(machine, swap)
    return Swapped(tuple(swap.present for swap in swaps))


def _written_down(machine: Machine, place: str, content: bytes) -> list[FileSwap]:
    try:
        return decode_json(content, list[FileSwap])
    except msgspec.DecodeError as error:
        remedy = "look at the config files that were set aside, remove that file, then go on"
        raise MachineError(f"reading {place}", machine.name, str(error), remedy) from error


def replace_files(machine: Machine, request: ReplaceFiles) -> Done:
    """Copy what one folder has to another, then remove from there what the first does not have."""
    names = _names(machine, request.source, request.but_for)
    for name in names:
        machine.files.copy(f"{request.source}/{name}", f"{request.target}/{name}")
    for name in _names(machine, request.target, request.but_for) - names:
        machine.files.remove(f"{request.target}/{name}")
    return Done(counted(len(names), "file"))


def _names(machine: Machine, folder: str, but_for: tuple[str, ...]) -> set[str]:
    below = (path.removeprefix(f"{folder}/") for path in machine.files.below(folder))
    return {name for name in below if name not in but_for}


def _free_name(machine: Machine, swap: FileSwap) -> str:
    """The name to save the present version under, so that no other is overwritten."""
    mine = machine.files.read_if_there(swap.present, _LARGEST)
    for number in range(_MOST_SAVED):
        name = swap.saved + (f".{number}" if number else "")
        if machine.files.read_if_there(name, _LARGEST) in (None, mine):
            return name
    return swap.saved


def _swap(machine: Machine, swap: FileSwap) -> None:
    if not machine.files.is_file(swap.newer):
        return
    newer = machine.files.read(swap.newer, _LARGEST)
    present = machine.files.read_if_there(swap.present, _LARGEST)
    if present != newer:
        if present is not None:
            machine.files.write(swap.saved, present)
        machine.files.write(swap.present, newer)
    machine.files.remove(swap.newer)

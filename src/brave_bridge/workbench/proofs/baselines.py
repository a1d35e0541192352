"""Baselines that a person takes: kept with the machine, or in a file that goes to another."""

from datetime import UTC, datetime
from pathlib import Path

import msgspec

from brave_bridge.core.crossing.prove_patiently import answered_in
from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.proof.alike import hold_against
from brave_bridge.core.proof.compare import Proof
from brave_bridge.core.survey.facts import Facts
from brave_bridge.families.registry import baseline
from brave_bridge.machines.opening.named import named, write_named
from brave_bridge.machines.port import MachineError
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.refusal import Refused

_FOLDER = "baselines"
_LARGEST = 50_000_000


def take_baseline(desk: Desk, file: Path | None = None) -> tuple[str, Facts]:
    """Read the machine's baseline and keep it; its name, or the path of ``file``.

    Refused where the file cannot be written.
    """
    facts = baseline(desk.machine, desk.family()).for_records
    content = msgspec.json.encode(facts)
    if file is not None:
        try:
            write_named(file, content)
        except OSError as error:
            raise Refused("writing the baseline", f"{file}: {error.strerror}") from error
        return str(file), facts
    desk.must_read_records()
    desk.machine.state.make()
    name = datetime.now(UTC).strftime("%Y%m%d-%H%M%S")
    desk.machine.state.write(f"{_FOLDER}/{name}.json", content)
    return name, facts


def names_of_baselines(desk: Desk) -> list[str]:
    """Those that are kept with the machine, oldest first."""
    if not desk.reads_records:
        return []
    paths = desk.machine.state.names(f"{_FOLDER}/*.json")
    return sorted(path.rpartition("/")[2].removesuffix(".json") for path in paths)


def read_kept(desk: Desk, name: str = "") -> tuple[str, Facts]:
    """A baseline by its name, from a file, or the newest; Refused where there is none such."""
    known = names_of_baselines(desk)
    if name and Path(name).is_file():
        try:
            return name, _decoded(name, named(name).read(_LARGEST))
        except OSError as error:
            raise Refused("comparing", f"{name}: {error.strerror}") from error
    wanted = name or (known[-1] if known else "")
    if wanted not in known:
        said = f"known: {', '.join(known)}" if known else "take one: brave-bridge baseline"
        raise Refused("comparing", f"there is no baseline {name}".rstrip(), said)
    try:
        content = desk.machine.state.read(f"{_FOLDER}/{wanted}.json", _LARGEST)
    except MachineError as error:
        raise Refused("comparing", error.seen, error.remedy) from error
    return wanted, _decoded(wanted, content or b"")


def _decoded(name: str, content: bytes) -> Facts:
    try:
        return decode_json(content, Facts)
    except msgspec.DecodeError as error:
        raise Refused("comparing", f"{name} is no baseline: {error}", "take a new one") from error


def compared_with(desk: Desk, before: Facts) -> Proof:
    """The machine as it is now, held against a baseline: its own of then, or another's."""
    return hold_against(before, baseline(desk.machine, desk.family(), answered_in(before)))
